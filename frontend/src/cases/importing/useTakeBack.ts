import { useImportChanges } from "@/api/imports";
import { messageOf } from "@/api/client";
import { complain, say } from "@/frame/notices";
import { count } from "@/marks/format";

/** Takes back all that came of a file, and says what became of it. */
export function useTakeBack(name: () => string) {
  const changes = useImportChanges(name);
  return async (id: number): Promise<void> => {
    try {
      const { undone, left } = await changes.undo(id);
      const stays = left.length ? ` ${count(left.length, "case")} changed since, and left: ${left.slice(0, 8).join(", ")}.` : "";
      say(`${count(undone, "case")} taken back.${stays}`);
    } catch (error) {
      complain(messageOf(error));
    }
  };
}
