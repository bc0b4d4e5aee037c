/** What an answer took from passages word for word: five words in a row or more, whatever their case. */
const LEAST = 5;
const WORD = /[\p{L}\p{N}]+(?:['’.:,-][\p{L}\p{N}]+)*/gu;

interface Word {
  word: string;
  start: number;
  end: number;
}
export interface Piece {
  text: string;
  copied: boolean;
}
const wordsOf = (text: string): Word[] => [...text.matchAll(WORD)].map((found) => ({ word: found[0].toLowerCase(), start: found.index, end: found.index + found[0].length }));
const runsOf = (told: Word[]) => Array.from({ length: Math.max(told.length - LEAST + 1, 0) }, (_, at) => told.slice(at, at + LEAST).map(({ word }) => word).join(" "));

/** The words of `told` that stand in a run that `there` has, too. */
function shared(told: Word[], there: ReadonlySet<string>): boolean[] {
  const marked = told.map(() => false);
  runsOf(told).forEach((run, at) => {
    if (there.has(run)) marked.fill(true, at, at + LEAST);
  });
  return marked;
}

/** The words of a sentence that a passage has, too, but for little ones: what it would be supported by. */
export function supporting(sentence: string, text: string): Piece[] {
  const said = new Set(wordsOf(sentence).map(({ word }) => word).filter((word) => word.length > 3 || /\d/.test(word)));
  const found: Piece[] = [];
  let at = 0;
  for (const { word, start, end } of wordsOf(text)) {
    if (!said.has(word)) continue;
    if (start > at) found.push({ text: text.slice(at, start), copied: false });
    found.push({ text: text.slice(start, end), copied: true });
    at = end;
  }
  if (at < text.length) found.push({ text: text.slice(at), copied: false });
  return found;
}

export function copiedIn(answer: string, passages: string[]): { share: number; pieces: (text: string) => Piece[] } {
  const mine = wordsOf(answer);
  const runs = new Set(runsOf(mine));
  const theirs = new Set(passages.flatMap((text) => runsOf(wordsOf(text))));
  const marked = shared(mine, theirs);
  return {
    share: mine.length ? marked.filter(Boolean).length / mine.length : 0,
    pieces(text) {
      const told = wordsOf(text);
      const taken = shared(told, runs);
      const found: Piece[] = [];
      let at = 0;
      for (let first = 0; first < told.length; first += 1) {
        if (!taken[first]) continue;
        let last = first;
        while (taken[last + 1]) last += 1;
        const [start, end] = [told[first]!.start, told[last]!.end];
        if (start > at) found.push({ text: text.slice(at, start), copied: false });
        found.push({ text: text.slice(start, end), copied: true });
        at = end;
        first = last;
      }
      if (at < text.length) found.push({ text: text.slice(at), copied: false });
      return found;
    },
  };
}
