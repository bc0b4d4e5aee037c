/** What was typed into a case and not saved, so that a look at another case does not lose it. */
export interface Typed {
  revision: number;
  inputs: Record<string, string>;
  label: string;
  tags: string;
  answer: string;
  turns: string;
  mustNotSay: string;
}

/** By `subject/number`; number 0 is the case being added. */
export const unsaved = new Map<string, Typed>();
