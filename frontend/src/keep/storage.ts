/** What this browser remembers. It may be full or switched off: then nothing is remembered, and nothing fails. */

export function recall<T>(place: string, storage: () => Storage = browsers): T | null {
  try {
    return JSON.parse(storage().getItem(`epistem.${place}`) ?? "null") as T | null;
  } catch {
    return null;
  }
}

/** Whether it is remembered. Null forgets. */
export function remember(place: string, value: unknown, storage: () => Storage = browsers): boolean {
  return rememberText(place, value === null ? null : JSON.stringify(value), storage);
}

/** The same for what is JSON already. */
export function rememberText(place: string, json: string | null, storage: () => Storage = browsers): boolean {
  try {
    if (json === null) storage().removeItem(`epistem.${place}`);
    else storage().setItem(`epistem.${place}`, json);
    return true;
  } catch {
    return false;
  }
}

const browsers = () => localStorage;
