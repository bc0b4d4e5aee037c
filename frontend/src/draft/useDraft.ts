import { useQueryClient } from "@tanstack/vue-query";
import { computed, onBeforeUnmount, reactive, ref, toRaw, watch } from "vue";

import { api, got, ifMatch, messageOf, Refusal } from "@/api/client";
import type { DraftPage, DraftProblem, Prompt, Renamed } from "@/api/schema";
import { complain, say } from "@/frame/notices";
import { alike, copied } from "@/parts/values";
import { historyOf } from "./undo";

const PAUSE_MS = 350;
const RETRY_MS = 3_000;
const BACKUP_MS = 150;

export type Keeping = "LOADING" | "KEPT" | "TYPING" | "KEEPING" | "AWAY" | "STALE" | "REFUSED";

interface Backup {
  revision: number;
  content: Prompt;
  /** What was on the server when this was typed: what a merge compares with. */
  base?: Prompt;
}

/**
 * The draft of a subject: loaded, edited in place, and kept as it is typed.
 *
 * What is not on the server yet lies in the browser's own storage, so a closed tab or a server
 * that is away loses nothing. When somebody else saved first, status is STALE, nothing is
 * overwritten: `theirs` holds the other text and `base` what both began with, until it is settled.
 */
export function useDraft(name: string) {
  const queries = useQueryClient();
  const backupKey = `epistem.draft.${name}`;
  const content = ref<Prompt | null>(null);
  const status = ref<Keeping>("LOADING");
  const error = ref("");
  const facts = reactive({
    revision: 0,
    baseVersion: null as number | null,
    edited: false,
    inputs: [] as string[],
    unused: [] as string[],
    firstWords: null as string | null,
    replyInWords: "",
    problems: [] as DraftProblem[],
  });
  const theirs = ref<{ content: Prompt; revision: number } | null>(null);
  const base = ref<Prompt>({});
  /** Counts the changes of the content, so that others need not look through all of it. */
  const edits = ref(0);
  const history = historyOf(name);
  /** Whether this browser holds what the server does not have. */
  const backedUp = ref(false);
  let backingUp: ReturnType<typeof setTimeout> | undefined;
  let onServer = "";
  let timer: ReturnType<typeof setTimeout> | undefined;
  let sending: Promise<void> | null = null;

  /** Of the objects themselves: looking through Vue's proxies takes many times as long. */
  const asJson = () => JSON.stringify(toRaw(content.value));

  function take(page: DraftPage): void {
    facts.revision = page.revision;
    facts.baseVersion = page.base_version ?? null;
    facts.edited = page.edited;
    facts.inputs = page.inputs;
    facts.unused = page.unused;
    facts.firstWords = page.first_words ?? null;
    facts.replyInWords = page.reply_in_words;
    facts.problems = page.problems;
  }

  async function load(): Promise<void> {
    try {
      const page = await got(api.GET("/api/v1/subjects/{name}/draft", { params: { path: { name } } }));
      take(page);
      onServer = JSON.stringify(page.content);
      const backup = readBackup();
      const unsent = backup && JSON.stringify(backup.content) !== onServer ? backup : null;
      content.value = unsent ? unsent.content : page.content;
      history.begin(asJson());
      status.value = "KEPT";
      if (unsent && unsent.revision !== page.revision) {
        theirs.value = { content: page.content, revision: page.revision };
        base.value = unsent.base ?? page.content;
        status.value = "STALE";
      } else if (JSON.stringify(content.value) !== onServer) {
        say("Text that had not reached the server was brought back.");
        schedule();
      }
    } catch (wrong) {
      error.value = messageOf(wrong);
      status.value = "AWAY";
      if (wrong instanceof Refusal && wrong.problem.status >= 500) timer = setTimeout(load, RETRY_MS);
    }
  }

  function readBackup(): Backup | null {
    try {
      return JSON.parse(localStorage.getItem(backupKey) ?? "null") as Backup | null;
    } catch {
      return null;
    }
  }

  function schedule(pauseMs = PAUSE_MS): void {
    if (status.value === "STALE") return;
    status.value = "TYPING";
    clearTimeout(timer);
    timer = setTimeout(() => void keep(), pauseMs);
  }

  /** Send what is typed. Resolves when the server has it, or it is known why not. */
  async function keep(): Promise<void> {
    clearTimeout(timer);
    if (sending) await sending;
    if (!content.value || status.value === "STALE" || asJson() === onServer) {
      if (status.value === "TYPING") status.value = "KEPT";
      return;
    }
    sending = send(content.value).finally(() => (sending = null));
    await sending;
  }

  async function send(body: Prompt): Promise<void> {
    const text = JSON.stringify(toRaw(body));
    status.value = "KEEPING";
    try {
      const page = await got(
        api.PUT("/api/v1/subjects/{name}/draft", {
          params: { path: { name }, header: ifMatch(facts.revision) },
          body: JSON.parse(text) as Prompt,
        }),
      );
      take(page);
      onServer = text;
      error.value = "";
      if (asJson() === text) {
        takeFragments(page.content);
        clearTimeout(backingUp);
        backingUp = undefined;
        localStorage.removeItem(backupKey);
        status.value = "KEPT";
      } else {
        backUp();
        schedule();
      }
      void queries.invalidateQueries({ queryKey: ["subject", name] });
    } catch (wrong) {
      error.value = messageOf(wrong);
      const problem = wrong instanceof Refusal ? wrong.problem : null;
      if (problem?.status === 412 && problem.theirs && alike(problem.theirs, JSON.parse(text))) {
        // The server had it already: only its answer was lost.
        facts.revision = problem.revision ?? facts.revision;
        onServer = text;
        schedule(0);
      } else if (problem?.status === 412 && problem.theirs) {
        theirs.value = { content: problem.theirs, revision: problem.revision ?? 0 };
        base.value = JSON.parse(onServer) as Prompt;
        status.value = "STALE";
      } else if (problem && problem.status < 500) {
        status.value = "REFUSED";
      } else {
        status.value = "AWAY";
        timer = setTimeout(() => void keep(), RETRY_MS);
      }
    }
  }

  /** The server knows the texts of the fragments that the parts include. */
  function takeFragments(kept: Prompt): void {
    if (!content.value || JSON.stringify(kept.fragments ?? {}) === JSON.stringify(content.value.fragments ?? {})) return;
    content.value.fragments = kept.fragments;
    onServer = asJson();
    history.amend(onServer);
  }

  /** Soon, so that a long text is not written at every key; and at once when the page goes away. */
  function backUp(): void {
    clearTimeout(backingUp);
    backingUp = setTimeout(writeBackup, BACKUP_MS);
  }

  function writeBackup(): void {
    if (!content.value || backingUp === undefined) return;
    clearTimeout(backingUp);
    backingUp = undefined;
    try {
      localStorage.setItem(backupKey, `{"revision":${facts.revision},"content":${asJson()},"base":${onServer}}`);
      backedUp.value = true;
    } catch {
      backedUp.value = false; // its storage is full or switched off
    }
  }

  /** Do something to the draft that is a step of its own. What is said of it offers to take just that back,
   * also after more was typed. */
  function change(told: string, how: () => void): void {
    history.seal();
    how();
    history.note(asJson());
    const step = history.latest();
    history.seal();
    if (told) say(told, step && (() => put(history.without(step))));
  }

  function put(next: Prompt | null): void {
    if (next) content.value = next;
  }
  const undo = () => put(history.undo());
  const redo = () => put(history.redo());

  /** After a STALE: go on with this content, over what the other saved. */
  function settle(chosen: Prompt): void {
    if (!theirs.value) return;
    facts.revision = theirs.value.revision;
    onServer = JSON.stringify(theirs.value.content);
    theirs.value = null;
    error.value = "";
    status.value = "KEPT";
    change("The draft is settled.", () => (content.value = copied(chosen)));
    if (JSON.stringify(content.value) !== onServer) schedule();
  }

  /** Rename an input in the draft and in the cases; without `apply` only what would change is told. */
  async function rename(from: string, to: string, apply: boolean, back = false): Promise<Renamed> {
    await keep();
    const done = await got(
      api.POST("/api/v1/subjects/{name}/draft/rename", {
        params: { path: { name }, header: ifMatch(facts.revision) },
        body: { old: from, new: to, apply },
      }),
    );
    if (apply) {
      take(done.draft);
      onServer = JSON.stringify(done.draft.content);
      content.value = done.draft.content;
      // The cases were renamed with it, so taking it back is a rename, too.
      const undoIt = () => void rename(to, from, true, true).catch((wrong) => complain(messageOf(wrong)));
      let takeBack: (() => void) | undefined;
      if (back) history.amend(asJson());
      else takeBack = history.add(asJson(), undoIt);
      await Promise.all(["cases", "case"].map((key) => queries.invalidateQueries({ queryKey: [key] })));
      say(`“${from}” is now “${to}”.`, takeBack);
    }
    return done;
  }

  /** Save the draft as a version; whether it is new, and its number. */
  async function saveVersion(note: string): Promise<{ number: number; isNew: boolean } | null> {
    await keep();
    if (status.value !== "KEPT") {
      complain(error.value || "The draft has not reached the server yet; try again in a moment.");
      return null;
    }
    try {
      const saved = await got(
        api.POST("/api/v1/subjects/{name}/versions", {
          params: { path: { name }, header: ifMatch(facts.revision) },
          body: { note },
        }),
      );
      take(saved.draft);
      await Promise.all(
        ["subject", "versions", "desk"].map((key) => queries.invalidateQueries({ queryKey: [key] })),
      );
      return { number: saved.version.number, isNew: saved.new };
    } catch (wrong) {
      complain(messageOf(wrong));
      return null;
    }
  }

  watch(
    content,
    (value, before) => {
      edits.value += 1;
      if (!before || !value) return;
      const text = asJson();
      history.note(text);
      if (text === onServer) return;
      backUp();
      schedule();
    },
    { deep: true },
  );

  void load();
  window.addEventListener("pagehide", writeBackup);
  onBeforeUnmount(() => {
    window.removeEventListener("pagehide", writeBackup);
    writeBackup();
    void keep();
  });

  const keptAs = computed(() => {
    switch (status.value) {
      case "LOADING":
        return "";
      case "KEPT":
        return "kept as you type";
      case "TYPING":
      case "KEEPING":
        return "keeping…";
      case "AWAY":
        return backedUp.value ? "the server is away; kept in this browser" : "the server is away, and this browser keeps nothing: leave this page open";
      case "STALE":
        return "changed elsewhere";
      case "REFUSED":
        return "not kept yet";
    }
  });

  return { content, status, keptAs, error, facts, theirs, base, edits, history, change, undo, redo, keep, settle, rename, saveVersion, reload: load };
}
