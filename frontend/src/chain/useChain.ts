import { computed, reactive, ref } from "vue";

import { api, got, ifMatch, messageOf } from "@/api/client";
import type { Chain, ChainFault, ChainPage, LedgerRow } from "@/api/schema";
import { useStale } from "@/api/stale";
import { historyOf } from "@/draft/undo";
import { complain, say } from "@/frame/notices";
import { type Home, useKeptDocument } from "@/keep/useKeptDocument";

/** The draft of a chain: content and YAML, two views of one thing, kept as they are edited. */
export function useChain(name: string) {
  const stale = useStale();
  const history = historyOf(name);
  const facts = reactive({
    revision: 0,
    baseVersion: null as number | null,
    edited: false,
    yaml: "",
    misread: "",
    misreadLine: null as number | null,
    rows: [] as LedgerRow[],
    faults: [] as ChainFault[],
    takes: null as Pick<ChainPage, "least" | "likely" | "most"> | null,
  });

  function take(page: ChainPage): ChainPage {
    facts.revision = page.revision;
    facts.baseVersion = page.base_version ?? null;
    facts.edited = page.edited;
    facts.yaml = page.yaml;
    facts.misread = page.misread ?? "";
    facts.misreadLine = page.misread_line ?? null;
    facts.rows = page.rows;
    facts.faults = page.faults;
    facts.takes = { least: page.least, likely: page.likely, most: page.most };
    return page;
  }

  const path = { name };
  const put = (body: { content?: Chain; yaml?: string }, revision: number) => got(api.PUT("/api/v1/subjects/{name}/chain", { params: { path, header: ifMatch(revision) }, body }));
  const home: Home<ChainPage, Chain> = {
    load: async () => take(await got(api.GET("/api/v1/subjects/{name}/chain", { params: { path } }))),
    send: async (content, page) => {
      const kept = take(await put({ content }, page.revision));
      stale.draft(name);
      return kept;
    },
    contentOf: (page) => page.content,
    revisionOf: (page) => page.revision,
    // The server knows what the named versions hold.
    absorb: (mine, { content: kept }) => {
      if (JSON.stringify(kept.steps) === JSON.stringify(mine.steps)) return false;
      mine.steps = kept.steps;
      return true;
    },
  };
  const kept = useKeptDocument(home, {
    place: `chain.${name}`,
    saves: "as typed",
    onLoaded: (text) => history.begin(text),
    onEdit: (text) => history.note(text),
    onAbsorbed: (text) => history.amend(text),
  });
  const { content, status, error, keep, asJson } = kept;

  /** Do something to the chain that is a step of its own, with a way to take just that back. */
  function change(told: string, how: () => void): void {
    history.seal();
    how();
    history.note(asJson());
    const step = history.latest();
    history.seal();
    if (told) say(told, step && (() => bring(history.without(step))));
  }
  function bring(next: unknown): void {
    if (next) content.value = next as Chain;
  }

  /** YAML as it is typed: kept whether it can be read or not. */
  const keepingYaml = ref(false);
  let waiting: string | null = null;
  async function keepYaml(text: string): Promise<void> {
    waiting = text;
    if (keepingYaml.value) return;
    keepingYaml.value = true;
    try {
      await keep();
      while (waiting !== null) {
        const now = waiting;
        waiting = null;
        const page = take(await put({ yaml: now }, facts.revision));
        kept.accept(page);
        history.note(asJson());
      }
      stale.draft(name);
    } catch (wrong) {
      complain(messageOf(wrong));
    } finally {
      keepingYaml.value = false;
    }
  }

  async function saveVersion(note: string): Promise<{ number: number; isNew: boolean } | null> {
    if (!(await keep())) {
      complain(error.value || "The draft has not reached the server yet; try again in a moment.");
      return null;
    }
    try {
      const saved = await got(api.POST("/api/v1/subjects/{name}/chain/versions", { params: { path, header: ifMatch(facts.revision) }, body: { note } }));
      kept.accept(take(saved.draft));
      await stale.versions(name);
      return { number: saved.version.number, isNew: saved.new };
    } catch (wrong) {
      complain(messageOf(wrong));
      return null;
    }
  }

  const keptAs = computed(() => {
    if (facts.misread) return "the YAML is kept as typed; the steps are as they were";
    return { LOADING: "", KEPT: "kept as you edit", CHANGED: "keeping…", KEEPING: "keeping…", AWAY: "the server is away; kept in this browser", STALE: "changed elsewhere", REFUSED: "not kept yet" }[status.value];
  });
  const theirs = computed(() => kept.theirs.value?.content ?? null);
  return { content, status, error, facts, keptAs, theirs, change, keep, keepYaml, keepingYaml, undo: () => bring(history.undo()), redo: () => bring(history.redo()), history, base: kept.base, settle: kept.settle, saveVersion, reload: kept.reload };
}
