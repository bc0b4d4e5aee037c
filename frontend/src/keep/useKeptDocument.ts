import { tryOnScopeDispose, useDebounceFn, useEventListener, useTimeoutFn } from "@vueuse/core";
import { computed, type Ref, ref, shallowRef, toRaw, watch } from "vue";

import { messageOf, Refusal } from "@/api/client";
import { say } from "@/frame/notices";
import { alike, copied } from "@/parts/values";
import { recall, rememberText } from "./storage";

const PAUSE_MS = 350;
const RETRY_MS = 3_000;
const BACKUP_MS = 150;
const MEANWHILE = "It was changed elsewhere meanwhile. What you typed stands on top of that now: look, and save again.";

export type Keeping = "LOADING" | "KEPT" | "CHANGED" | "KEEPING" | "AWAY" | "STALE" | "REFUSED";

/** Where a document lives. `Page` is what the server says of it, `Content` what a person edits. */
export interface Home<Page, Content> {
  load: () => Promise<Page>;
  /** Throws a Refusal of status 412 when the page is no longer the latest. */
  send: (content: Content, page: Page) => Promise<Page>;
  contentOf: (page: Page) => Content;
  revisionOf: (page: Page) => number;
  /** Two people's edits put together; without it a person chooses, and status is STALE until then. */
  merge?: (base: Content, mine: Content, theirs: Content) => { content: Content; both: string[] };
  /** Take over what the server adds to a text that it was sent; whether there was something. */
  absorb?: (mine: Content, page: Page) => boolean;
}

export interface Ways<Page> {
  /** Its name in this browser's storage. */
  place: string;
  saves: "as typed" | "when told";
  /** The page, where it is here already. */
  first?: Page;
  onLoaded?: (text: string) => void;
  /** `text` is the content as JSON. */
  onEdit?: (text: string) => void;
  onAbsorbed?: (text: string) => void;
  storage?: () => Storage;
}

interface Backup<Content> {
  revision: number;
  content: Content;
  /** What was on the server when this was typed: what a merge compares with. */
  base?: Content;
}

/**
 * Something that a person edits and the server keeps: a draft, a case, a model.
 *
 * What the server does not have lies in the browser's own storage, so that a closed tab or a server that is away
 * loses nothing. Only one text is on its way at a time. When somebody else saved first nothing is overwritten: the
 * edits are put together, or wait for a choice (STALE). An answer that got lost is no conflict: the server then has
 * the very text that was sent.
 */
export function useKeptDocument<Page, Content>(home: Home<Page, Content>, ways: Ways<Page>) {
  const page = shallowRef<Page | null>(null);
  const content = ref(null) as Ref<Content | null>;
  const status = ref<Keeping>("LOADING");
  const error = ref<Error | null>(null);
  /** Fields that somebody else changed, too, while they were edited here. */
  const both = ref<string[]>([]);
  const theirs = shallowRef<Page | null>(null);
  const base = shallowRef<Content | null>(null);
  /** Counts the changes of the content, so that others need not look through all of it. */
  const edits = ref(0);
  /** Whether this browser holds what the server does not have. */
  const backedUp = ref(false);
  const asTyped = ways.saves === "as typed";
  let onServer = "";
  /** The revision that what is edited here began on. */
  let since = 0;
  let gone = false;
  let sending: Promise<unknown> | null = null;
  const soon = useTimeoutFn(() => void keep(), PAUSE_MS, { immediate: false });
  const again = useTimeoutFn(() => void (content.value === null ? load() : keep()), RETRY_MS, { immediate: false });

  /** Of the objects themselves: looking through Vue's proxies takes many times as long. */
  const asJson = () => JSON.stringify(toRaw(content.value));
  const changed = () => asJson() !== onServer;

  /** The page is the latest, and nothing is typed on top of it. */
  function accept(latest: Page): void {
    page.value = latest;
    since = home.revisionOf(latest);
    content.value = copied(home.contentOf(latest));
    onServer = asJson();
    status.value = "KEPT";
  }

  async function load(): Promise<void> {
    try {
      begin(ways.first && page.value === null ? ways.first : await home.load());
    } catch (wrong) {
      fail(wrong);
      status.value = "AWAY";
      if (!(wrong instanceof Refusal) || wrong.problem.status >= 500) again.start();
    }
  }

  function begin(latest: Page): void {
    const left = recall<Backup<Content>>(ways.place, ways.storage);
    accept(latest);
    error.value = null;
    if (left && !alike(left.content, content.value)) {
      if (left.revision !== home.revisionOf(latest)) {
        putTogether(left.base ?? copied(home.contentOf(latest)), left.content, latest);
        if (status.value === "STALE") since = left.revision;
      } else {
        content.value = left.content;
        status.value = "CHANGED";
        if (asTyped) {
          say("Text that had not reached the server was brought back.");
          soon.start();
        }
      }
    }
    ways.onLoaded?.(asJson());
  }

  /** The edits made on `before`, after somebody else saved. */
  function putTogether(before: Content, mine: Content, latest: Page): void {
    if (home.merge) {
      const merged = home.merge(before, mine, home.contentOf(latest));
      accept(latest);
      both.value = merged.both;
      content.value = copied(merged.content);
      if (changed()) status.value = "CHANGED";
    } else {
      content.value = mine;
      base.value = before;
      theirs.value = latest;
      status.value = "STALE";
    }
  }

  /** Send what is typed; true when the server has it. `always`: also what is not edited, to have it made. */
  async function keep(always = false): Promise<boolean> {
    soon.stop();
    again.stop();
    while (sending) await sending;
    if (content.value === null || page.value === null || status.value === "STALE") return false;
    if (!changed() && !always) {
      if (status.value === "CHANGED") status.value = "KEPT";
      return status.value === "KEPT";
    }
    const sent = send(asJson(), page.value).finally(() => (sending = null));
    sending = sent;
    return sent;
  }

  async function send(text: string, from: Page): Promise<boolean> {
    status.value = "KEEPING";
    try {
      taken(text, await home.send(JSON.parse(text) as Content, from));
      return true;
    } catch (wrong) {
      const problem = wrong instanceof Refusal ? wrong.problem : null;
      if (problem?.status === 412) return await meet(text, from);
      fail(wrong);
      status.value = problem && problem.status < 500 ? "REFUSED" : "AWAY";
      if (status.value === "AWAY") retry();
      return false;
    }
  }

  /** The server has this text now. What was typed since it was sent stays on top of it. */
  function taken(text: string, latest: Page): void {
    page.value = latest;
    since = home.revisionOf(latest);
    error.value = null;
    both.value = [];
    if (home.merge) {
      const kept = copied(home.contentOf(latest));
      const merged = home.merge(JSON.parse(text) as Content, JSON.parse(asJson()) as Content, kept);
      onServer = JSON.stringify(kept);
      if (!alike(merged.content, content.value)) content.value = merged.content;
      if (alike(merged.content, kept)) onServer = asJson();
    } else {
      onServer = text;
      if (!changed() && content.value !== null && home.absorb?.(content.value, latest)) {
        onServer = asJson();
        ways.onAbsorbed?.(onServer);
      }
    }
    status.value = changed() ? "CHANGED" : "KEPT";
    if (status.value === "KEPT") forget();
    else if (asTyped) soon.start();
  }

  /** Somebody else saved first, or the server had this text already and only its answer was lost. */
  async function meet(text: string, from: Page): Promise<boolean> {
    try {
      const latest = await home.load();
      if (alike(home.contentOf(latest), JSON.parse(text))) {
        taken(text, latest);
        return true;
      }
      putTogether(home.contentOf(from), JSON.parse(asJson()) as Content, latest);
      if (!theirs.value) error.value = new Error(MEANWHILE);
    } catch (wrong) {
      fail(wrong);
      status.value = "AWAY";
      retry();
    }
    return false;
  }

  /** A page that came by another way, perhaps with somebody else's change. */
  function offer(latest: Page): void {
    if (page.value === null || sending || home.revisionOf(latest) <= home.revisionOf(page.value)) return;
    if (changed()) putTogether(home.contentOf(page.value), JSON.parse(asJson()) as Content, latest);
    else accept(latest);
  }

  /** After STALE: go on with this, over what the other saved. */
  function settle(chosen: Content): void {
    if (theirs.value === null) return;
    page.value = theirs.value;
    since = home.revisionOf(theirs.value);
    onServer = JSON.stringify(home.contentOf(theirs.value));
    theirs.value = null;
    error.value = null;
    status.value = "KEPT";
    content.value = copied(chosen);
    if (changed()) {
      status.value = "CHANGED";
      soon.start();
    }
  }

  function fail(wrong: unknown): void {
    error.value = wrong instanceof Error ? wrong : new Error(String(wrong));
  }

  /** Once the document is left, what did not arrive waits in the browser. */
  function retry(): void {
    if (asTyped && !gone) again.start();
  }

  function forget(): void {
    rememberText(ways.place, null, ways.storage);
    backedUp.value = false;
  }
  function backUp(): void {
    if (content.value === null || page.value === null) return;
    const kept = status.value === "STALE" ? JSON.stringify(base.value) : onServer;
    if (!changed()) return forget();
    const text = `{"revision":${since},"content":${asJson()},"base":${kept}}`;
    backedUp.value = rememberText(ways.place, text, ways.storage);
  }
  /** Soon, so that a long text is not written at every key; and at once when the page goes away. */
  const backUpSoon = useDebounceFn(() => gone || backUp(), BACKUP_MS);

  watch(
    content,
    (value, before) => {
      edits.value += 1;
      if (before === null || value === null) return;
      const text = asJson();
      ways.onEdit?.(text);
      if (text === onServer && !asTyped) status.value = "KEPT";
      if (text === onServer || status.value === "STALE") return;
      void backUpSoon();
      if (status.value !== "KEEPING") status.value = "CHANGED";
      if (asTyped) soon.start();
    },
    { deep: true },
  );

  void load();
  useEventListener("pagehide", backUp);
  tryOnScopeDispose(() => {
    backUp();
    gone = true;
    if (asTyped) void keep();
  });

  return {
    page,
    content,
    status,
    error: computed(() => (error.value ? messageOf(error.value) : "")),
    problem: computed(() => (error.value instanceof Refusal ? error.value : null)),
    both,
    theirs,
    base,
    edits,
    backedUp,
    asJson,
    accept,
    keep,
    offer,
    settle,
    reload: load,
  };
}
