import { computed } from "vue";

import { messageOf } from "@/api/client";
import { useStale } from "@/api/stale";
import { complain, say } from "@/frame/notices";
import { type Home, useKeptDocument } from "@/keep/useKeptDocument";
import type { Content } from "./kinds";
import { historyOf } from "./undo";

/** What every draft is, a prompt's or a chain's: kept as it is edited, with one history, and saved as versions. */
export function useKeptDraft<Page, Body extends Content>(name: string, place: string, home: Home<Page, Body>, atRest: string) {
  const stale = useStale();
  const history = historyOf(name);
  const kept = useKeptDocument(home, {
    place,
    saves: "as typed",
    onLoaded: (text) => history.begin(text),
    onEdit: (text) => history.note(text),
    onAbsorbed: (text) => history.amend(text),
  });

  /** Do something to the draft that is a step of its own. What is said of it offers to take just that back,
   * also after more was typed. */
  function change(told: string, how: () => void): void {
    history.seal();
    how();
    history.note(kept.asJson());
    const step = history.latest();
    history.seal();
    if (told) say(told, step && (() => put(history.without(step))));
  }

  /** What its history gives back is of the draft's own kind. */
  function put(next: Content | null): void {
    if (next) kept.content.value = next as Body;
  }

  /** Save the draft as a version, once the server has all of it; whether it is new, and its number. */
  async function saveVersion(keep: () => Promise<boolean>, save: () => Promise<{ version: { number: number }; new: boolean }>): Promise<{ number: number; isNew: boolean } | null> {
    if (!(await keep())) {
      complain(kept.error.value || "The draft has not reached the server yet; try again in a moment.");
      return null;
    }
    try {
      const saved = await save();
      await stale.versions(name);
      return { number: saved.version.number, isNew: saved.new };
    } catch (wrong) {
      complain(messageOf(wrong));
      return null;
    }
  }

  const keptAs = computed(() => {
    switch (kept.status.value) {
      case "LOADING":
        return "";
      case "KEPT":
        return atRest;
      case "CHANGED":
      case "KEEPING":
        return "keeping…";
      case "AWAY":
        return kept.backedUp.value ? "the server is away; kept in this browser" : "the server is away, and this browser keeps nothing: leave this page open";
      case "STALE":
        return "changed elsewhere";
      case "REFUSED":
        return "not kept yet";
    }
  });

  return { kept, history, change, undo: () => put(history.undo()), redo: () => put(history.redo()), saveVersion, keptAs };
}
