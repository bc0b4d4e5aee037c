/** One history of a draft, over its parts, drawers and screens: what is undone is what was done last. */
import { alike } from "@/parts/values";
import { type Content, kindOf } from "./kinds";

interface Step {
  before: string;
  after: string;
  at: number;
  /** More typing joins it for as long as it is open. */
  open: boolean;
  /** How it is taken back, where it reached beyond the draft. */
  beyond?: () => void;
}

const TOGETHER_MS = 900;
const MOST_STEPS = 300;
const MOST_CHARACTERS = 20_000_000;

export class DraftHistory {
  private past: Step[] = [];
  private future: Step[] = [];
  private current: string | null = null;

  /** The draft as it was loaded. What was changed elsewhere meanwhile is a step, too. */
  begin(content: string): void {
    // The same content may come back with its keys in another order.
    if (this.current === null || alike(JSON.parse(this.current), JSON.parse(content))) this.current = content;
    else this.note(content);
    this.seal();
  }

  /** The draft reads so now. Typing without a pause is one step. */
  note(content: string, now = performance.now()): void {
    if (this.current === null || content === this.current) return;
    const last = this.past.at(-1);
    if (last?.open && now - last.at < TOGETHER_MS) {
      last.after = content;
      last.at = now;
    } else {
      this.seal();
      this.past.push({ before: this.current, after: content, at: now, open: true });
      this.forgetOldest();
    }
    this.future.length = 0;
    this.current = content;
  }

  /** A step that reached beyond the draft, with the way to take it back. */
  add(content: string, beyond: () => void): () => void {
    this.seal();
    this.note(content);
    const step = this.past.at(-1);
    if (step) Object.assign(step, { beyond, open: false });
    return () => {
      const at = step ? this.past.indexOf(step) : -1;
      if (at >= 0) this.past.splice(at, 1);
      beyond();
    };
  }

  /** What the server adds to what was done, such as the text of a fragment, is no step. */
  amend(content: string): void {
    const last = this.past.at(-1);
    if (last && last.after === this.current) last.after = content;
    this.current = content;
  }

  /** What comes next is a step of its own. */
  seal(): void {
    const last = this.past.at(-1);
    if (last) last.open = false;
  }

  /** The step that was done last, to be taken back later by `without`. */
  latest(): Step | undefined {
    return this.past.at(-1);
  }

  undo(): Content | null {
    const last = this.past.at(-1);
    if (last?.beyond) {
      this.past.pop();
      last.beyond();
      return null;
    }
    return this.move(this.past, this.future, "before");
  }

  redo(): Content | null {
    return this.move(this.future, this.past, "after");
  }

  /** The draft without one step, whatever was done since; null where nothing of it is left. */
  without(step: Step): Content | null {
    if (this.current === null) return null;
    if (this.current === step.after) return JSON.parse(step.before) as Content;
    const [now, before, after] = [this.current, step.before, step.after].map((text) => JSON.parse(text) as Content) as [Content, Content, Content];
    const { pieces, merged } = kindOf(now);
    const changed = new Map(pieces(after, now, before).map((piece) => [piece.key, piece.changed]));
    return merged(now, before, (key) => (changed.get(key) === "theirs" ? "theirs" : "mine"));
  }

  private move(from: Step[], to: Step[], side: "before" | "after"): Content | null {
    const step = from.pop();
    if (!step) return null;
    step.open = false;
    to.push(step);
    this.current = step[side];
    return JSON.parse(step[side]) as Content;
  }

  private forgetOldest(): void {
    let held = this.past.reduce((sum, step) => sum + step.after.length, 0);
    while (this.past.length > MOST_STEPS || (held > MOST_CHARACTERS && this.past.length > 1)) held -= this.past.shift()!.after.length;
  }
}

const histories = new Map<string, DraftHistory>();

/** The history of a subject's draft, which lives for as long as the window does. */
export function historyOf(name: string): DraftHistory {
  const kept = histories.get(name) ?? new DraftHistory();
  histories.set(name, kept);
  return kept;
}
