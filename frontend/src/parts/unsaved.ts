import { onBeforeUnmount } from "vue";

/** What was typed into the form called `place` and not saved, as it was left; null without. */
export function unsavedOf<T>(place: string): T | null {
  try {
    return JSON.parse(localStorage.getItem(keyOf(place)) ?? "null") as T | null;
  } catch {
    return null;
  }
}

/**
 * Keep in this browser what is typed into a form and not saved, when one looks elsewhere or the tab is closed.
 * `typed` gives null where there is nothing to keep.
 */
export function keepUnsaved<T>(place: string, typed: () => T | null): void {
  const keep = () => {
    try {
      const value = typed();
      if (value === null) localStorage.removeItem(keyOf(place));
      else localStorage.setItem(keyOf(place), JSON.stringify(value));
    } catch {
      // It stays for as long as the form is open.
    }
  };
  window.addEventListener("pagehide", keep);
  onBeforeUnmount(() => {
    window.removeEventListener("pagehide", keep);
    keep();
  });
}

const keyOf = (place: string) => `epistem.unsaved.${place}`;
