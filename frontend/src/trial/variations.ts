/** Forms of a case in which its answer must stay the same, and what each does. */
import type { TrialPlan } from "@/api/schema";

export type Variation = NonNullable<TrialPlan["steadiness"]>[number];
export const VARIED: Record<Variation, string> = {
  "upper case": "All in capitals, but for addresses.",
  misspelt: "Two letters of some words change places; names are left.",
  rephrased: "Short forms for long ones and back, and some words for others that mean the same. English.",
  "other order": "Lists, such as passages or records, from their last to their first.",
  "other name": "Each given name becomes another that tells the same gender. English names.",
  "other gender": "She for he and back, with names and words such as husband and wife. English.",
  irrelevant: "One sentence more that has nothing to do with it.",
};
export const VARIATIONS = Object.keys(VARIED) as Variation[];
