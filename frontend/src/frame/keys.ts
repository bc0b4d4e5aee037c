import { computed, onBeforeUnmount, onMounted, reactive, ref, shallowReactive } from "vue";

/** A key that does something on this screen: shown in the footer, listed by `?`. */
export interface KeyBinding {
  /** As in `event.key`, lower case, with `ctrl+` before it; several do things of one kind. */
  keys: Record<string, () => void>;
  /** How the keys are drawn. */
  shown: string[];
  label: string;
  /** Works while typing too (those with Ctrl do anyway). */
  always?: boolean;
  /** Works everywhere, so it is in the list of `?` only. */
  everywhere?: boolean;
}

const groups = shallowReactive(new Map<symbol, KeyBinding[]>());
export const keyList = reactive({ open: false });
export const bindings = computed(() => [...groups.values()].flat());
/** Letters are letters now: somebody is in a field. */
export const typing = ref(false);

const WORDLESS = new Set(["checkbox", "radio", "button", "submit", "range", "file"]);

export function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target instanceof HTMLInputElement) return !WORDLESS.has(target.type);
  return target.isContentEditable || ["TEXTAREA", "SELECT"].includes(target.tagName);
}

/** What has keys of its own while it has the focus: an open menu, a list to choose from, a row of tabs. */
const OWN_KEYS = '[role="menu"], [role="listbox"], [role="tablist"]';
/** What Enter presses. */
const PRESSED = 'button, a[href], summary, [role="button"]';

function onKey(event: KeyboardEvent): void {
  if (event.defaultPrevented || event.altKey || event.isComposing) return;
  const target = event.target instanceof HTMLElement ? event.target : null;
  if (event.key === "Escape" && isTyping(target) && !document.querySelector('[role="dialog"]')) {
    target?.blur();
    return;
  }
  if (document.querySelector('[role="dialog"]') && event.key !== "?") return;
  const control = event.ctrlKey || event.metaKey;
  if (event.key === "F6") {
    event.preventDefault();
    toPanel(event.shiftKey ? -1 : 1);
    return;
  }
  if (!control && target?.closest(OWN_KEYS)) return;
  if (!control && (event.key === "Enter" || event.key === " ") && target?.closest(PRESSED)) return;
  const name = (control ? "ctrl+" : "") + event.key.toLowerCase();
  for (const binding of bindings.value) {
    const run = binding.keys[name];
    if (!run || (!control && !binding.always && isTyping(event.target))) continue;
    event.preventDefault();
    run();
    return;
  }
}

const FOCUSABLE = 'a[href], button:not(:disabled), input:not(:disabled), select:not(:disabled), textarea:not(:disabled), [contenteditable="true"], [tabindex="0"]';

/** Put the focus into the next panel of the screen, or the one before: its first field, else its first control. */
function toPanel(by: 1 | -1): void {
  const panels = [...document.querySelectorAll<HTMLElement>("header, .panel")].filter((each) => !each.parentElement?.closest(".panel") && each.querySelector(FOCUSABLE));
  const here = panels.findIndex((each) => each.contains(document.activeElement));
  const next = panels[here < 0 ? (by > 0 ? 0 : panels.length - 1) : (here + by + panels.length) % panels.length];
  next?.querySelector<HTMLElement>(FOCUSABLE)?.focus();
}

const follow = () => (typing.value = isTyping(document.activeElement));

/** Let keys do something while this component is shown. */
export function useKeys(list: KeyBinding[]): void {
  const id = Symbol();
  onMounted(() => {
    if (groups.size === 0) {
      window.addEventListener("keydown", onKey);
      document.addEventListener("focusin", follow);
      document.addEventListener("focusout", follow);
    }
    groups.set(id, list);
  });
  onBeforeUnmount(() => {
    groups.delete(id);
    if (groups.size > 0) return;
    window.removeEventListener("keydown", onKey);
    document.removeEventListener("focusin", follow);
    document.removeEventListener("focusout", follow);
  });
}
