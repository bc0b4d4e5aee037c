import { useLocalStorage } from "@vueuse/core";

/** The name that this browser's person goes by; what they change is changed by it. Empty until they say one. */
export const who = useLocalStorage("epistem.name", "");

/** The header that says so; none while no name is known. */
export function byHeader(): Record<string, string> {
  const name = who.value.trim();
  return name ? { By: encodeURIComponent(name) } : {};
}
