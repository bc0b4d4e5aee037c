import { computed, onBeforeUnmount, onMounted, reactive, shallowReactive } from "vue";

/** A key that does something on this screen: shown in the footer, listed by `?`. */
export interface KeyBinding {
  /** As in `event.key`, lower case, with `ctrl+` before it; several do things of one kind. */
  keys: Record<string, () => void>;
  /** How the keys are drawn. */
  shown: string[];
  label: string;
  /** Works while typing too (those with Ctrl do anyway). */
  always?: boolean;
}

const groups = shallowReactive(new Map<symbol, KeyBinding[]>());
export const keyList = reactive({ open: false });
export const bindings = computed(() => [...groups.values()].flat());

function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName))
  );
}

function onKey(event: KeyboardEvent): void {
  if (event.defaultPrevented || event.altKey) return;
  if (document.querySelector('[role="dialog"]') && event.key !== "?") return;
  const control = event.ctrlKey || event.metaKey;
  const name = (control ? "ctrl+" : "") + event.key.toLowerCase();
  for (const binding of bindings.value) {
    const run = binding.keys[name];
    if (!run || (!control && !binding.always && isTyping(event.target))) continue;
    event.preventDefault();
    run();
    return;
  }
}

/** Let keys do something while this component is shown. */
export function useKeys(list: KeyBinding[]): void {
  const id = Symbol();
  onMounted(() => {
    if (groups.size === 0) window.addEventListener("keydown", onKey);
    groups.set(id, list);
  });
  onBeforeUnmount(() => {
    groups.delete(id);
    if (groups.size === 0) window.removeEventListener("keydown", onKey);
  });
}
