import { ref, watch } from "vue";

const PLACE = "epistem.name";

/** The name that this browser's person goes by; what they change is changed by it. Empty until they say one. */
export const who = ref(read());

watch(who, (name) => {
  try {
    localStorage.setItem(PLACE, name.trim());
  } catch {
    // It holds for as long as the page is open.
  }
});

function read(): string {
  try {
    return localStorage.getItem(PLACE) ?? "";
  } catch {
    return "";
  }
}

/** The header that says so; none while no name is known. */
export function byHeader(): Record<string, string> {
  const name = who.value.trim();
  return name ? { By: encodeURIComponent(name) } : {};
}
