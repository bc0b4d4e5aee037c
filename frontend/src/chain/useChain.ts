import { tryOnScopeDispose } from "@vueuse/core";
import { computed, reactive, watch } from "vue";

import { api, got, ifMatch } from "@/api/client";
import type { Chain, ChainFault, ChainPage, LedgerRow } from "@/api/schema";
import { useStale } from "@/api/stale";
import { useKeptDraft } from "@/draft/useKeptDraft";
import { type Home, useKeptDocument } from "@/keep/useKeptDocument";

/** The draft of a chain: content and YAML, two views of one thing, kept as they are edited. */
export function useChain(name: string) {
  const stale = useStale();
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
  const draft = useKeptDraft(name, `chain.${name}`, home, "kept as you edit");
  const { kept, history, change, undo, redo } = draft;
  const { content, status, error } = kept;

  /** The chain as YAML, while that is looked at: a document of its own, kept whether it can be read or not. */
  let typed: { keep: () => Promise<boolean>; offer: (page: ChainPage) => void } | null = null;
  function useYaml() {
    const mine = useKeptDocument<ChainPage, string>(
      {
        load: async () => {
          await kept.keep();
          return home.load();
        },
        send: async (yaml, page) => {
          const latest = take(await put({ yaml }, page.revision));
          kept.accept(latest);
          stale.draft(name);
          return latest;
        },
        contentOf: (page) => page.yaml,
        revisionOf: (page) => page.revision,
      },
      { place: `chain.${name}.yaml`, saves: "as typed" },
    );
    typed = mine;
    tryOnScopeDispose(async () => {
      await mine.keep();
      if (typed === mine) typed = null;
    });
    return mine;
  }
  watch(kept.page, (page) => page && typed?.offer(page));

  /** Both what is edited and what is typed as YAML. */
  const keep = async () => (!typed || (await typed.keep())) && kept.keep();
  const saveVersion = (note: string) =>
    draft.saveVersion(keep, async () => {
      const saved = await got(api.POST("/api/v1/subjects/{name}/chain/versions", { params: { path, header: ifMatch(facts.revision) }, body: { note } }));
      kept.accept(take(saved.draft));
      return saved;
    });

  const keptAs = computed(() => (facts.misread ? "the YAML is kept as typed; the steps are as they were" : draft.keptAs.value));
  const theirs = computed(() => kept.theirs.value?.content ?? null);
  return { content, status, error, facts, keptAs, theirs, change, keep, useYaml, undo, redo, history, base: kept.base, settle: kept.settle, saveVersion, reload: kept.reload };
}
