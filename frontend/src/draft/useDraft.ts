import { computed, reactive } from "vue";

import { useStale } from "@/api/stale";
import { api, got, ifMatch, messageOf } from "@/api/client";
import type { DraftPage, DraftProblem, UnguardedRule, Prompt, Renamed } from "@/api/schema";
import { complain, say } from "@/frame/notices";
import type { Home } from "@/keep/useKeptDocument";
import { useKeptDraft } from "./useKeptDraft";

/**
 * The draft of a subject: loaded, edited in place, kept as it is typed, with one history of what was done to it.
 * When somebody else saved first, status is STALE: `theirs` holds the other text and `base` what both began with,
 * until it is settled.
 */
export function useDraft(name: string) {
  const stale = useStale();
  const facts = reactive({
    revision: 0,
    baseVersion: null as number | null,
    edited: false,
    inputs: [] as string[],
    unused: [] as string[],
    firstWords: null as string | null,
    replyInWords: "",
    problems: [] as DraftProblem[],
    doubts: [] as DraftProblem[],
    unguarded: [] as UnguardedRule[],
  });

  function take(page: DraftPage): DraftPage {
    facts.revision = page.revision;
    facts.baseVersion = page.base_version ?? null;
    facts.edited = page.edited;
    facts.inputs = page.inputs;
    facts.unused = page.unused;
    facts.firstWords = page.first_words ?? null;
    facts.replyInWords = page.reply_in_words;
    facts.problems = page.problems;
    facts.doubts = page.doubts;
    facts.unguarded = page.unguarded;
    return page;
  }

  const path = { name };
  const home: Home<DraftPage, Prompt> = {
    load: async () => take(await got(api.GET("/api/v1/subjects/{name}/draft", { params: { path } }))),
    send: async (body, page) => {
      const kept = take(await got(api.PUT("/api/v1/subjects/{name}/draft", { params: { path, header: ifMatch(page.revision) }, body })));
      stale.draft(name);
      return kept;
    },
    contentOf: (page) => page.content,
    revisionOf: (page) => page.revision,
    // The server knows the texts of the fragments that the parts include.
    absorb: (mine, { content: kept }) => {
      if (JSON.stringify(kept.fragments ?? {}) === JSON.stringify(mine.fragments ?? {})) return false;
      mine.fragments = kept.fragments;
      return true;
    },
  };
  const draft = useKeptDraft(name, `draft.${name}`, home, "kept as you type");
  const { kept, history, change, undo, redo, keptAs } = draft;
  const { content, status, error, keep, asJson } = kept;

  function settle(chosen: Prompt): void {
    change("The draft is settled.", () => kept.settle(chosen));
  }

  /** Rename an input in the draft and in the cases; without `apply` only what would change is told. */
  async function rename(from: string, to: string, apply: boolean, back = false): Promise<Renamed> {
    await keep();
    const done = await got(
      api.POST("/api/v1/subjects/{name}/draft/rename", {
        params: { path, header: ifMatch(facts.revision) },
        body: { old: from, new: to, apply },
      }),
    );
    if (apply) {
      kept.accept(take(done.draft));
      // The cases were renamed with it, so taking it back is a rename, too.
      const undoIt = () => void rename(to, from, true, true).catch((wrong) => complain(messageOf(wrong)));
      let takeBack: (() => void) | undefined;
      if (back) history.amend(asJson());
      else takeBack = history.add(asJson(), undoIt);
      await stale.cases(name);
      say(`“${from}” is now “${to}”.`, takeBack);
    }
    return done;
  }

  const saveVersion = (note: string) =>
    draft.saveVersion(keep, async () => {
      const saved = await got(api.POST("/api/v1/subjects/{name}/versions", { params: { path, header: ifMatch(facts.revision) }, body: { note } }));
      take(saved.draft);
      return saved;
    });

  const theirs = computed(() => kept.theirs.value?.content ?? null);
  const { base, edits, reload } = kept;
  return { content, status, keptAs, error, facts, theirs, base, edits, history, change, undo, redo, keep, settle, rename, saveVersion, reload };
}
