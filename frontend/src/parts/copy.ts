import { complain, say } from "@/frame/notices";

/** Put a text on the clipboard, also where the page came over plain HTTP and the browser keeps its own from it. */
export async function copyText(what: string, text: string): Promise<void> {
  try {
    if (navigator.clipboard) await navigator.clipboard.writeText(text);
    else if (!byHand(text)) throw new Error();
    say(`${what} is copied.`);
  } catch {
    complain(`${what} can’t be copied by this browser: mark the text and copy it.`);
  }
}

function byHand(text: string): boolean {
  const box = document.createElement("textarea");
  box.value = text;
  box.style.position = "fixed";
  document.body.append(box);
  box.select();
  const done = document.execCommand("copy");
  box.remove();
  return done;
}
