import { computed, nextTick, type Ref, ref } from "vue";

/** Where the focus of a grid is: rows and columns counted from 0. */
interface Place {
  row: number;
  column: number;
}

/**
 * A focus that roves through a grid of which only some rows are drawn: arrows, Home and End move it by a cell, Page
 * Up and Down by ten rows. `choose` is what Enter does; `show` brings a row into sight.
 */
export function useGridFocus(grid: Ref<HTMLElement | null>, size: () => Place, show: (row: number) => void, choose: (at: Place) => void) {
  const at = ref<Place>({ row: 0, column: 0 });
  const inside = ref(false);

  function within({ row, column }: Place): Place {
    const { row: rows, column: columns } = size();
    return { row: Math.min(Math.max(row, 0), rows - 1), column: Math.min(Math.max(column, 0), columns - 1) };
  }

  async function focus(to: Place): Promise<void> {
    at.value = within(to);
    show(at.value.row);
    // A row that was out of sight is drawn first.
    for (let tries = 0; tries < 3; tries += 1) {
      await nextTick();
      await new Promise(requestAnimationFrame);
      const cell = grid.value?.querySelector<HTMLElement>(`[data-cell="${at.value.row}.${at.value.column}"]`);
      if (cell) return cell.focus({ preventScroll: true });
    }
  }

  function onKeydown(event: KeyboardEvent): void {
    if (!inside.value || event.ctrlKey || event.metaKey || event.altKey) return;
    const { row, column } = at.value;
    const steps: Record<string, Place> = {
      ArrowDown: { row: row + 1, column },
      ArrowUp: { row: row - 1, column },
      ArrowRight: { row, column: column + 1 },
      ArrowLeft: { row, column: column - 1 },
      PageDown: { row: row + 10, column },
      PageUp: { row: row - 10, column },
      Home: { row, column: 0 },
      End: { row, column: size().column - 1 },
    };
    const to = steps[event.key];
    if (!to && event.key !== "Enter" && event.key !== " ") return;
    event.preventDefault();
    event.stopPropagation();
    if (to) void focus(to);
    else choose(at.value);
  }

  /** The grid itself is reached by Tab, and hands the focus to the cell where it was last. */
  function onFocus(event: FocusEvent): void {
    if (event.target === grid.value) void focus(at.value);
    else {
      const cell = (event.target as HTMLElement).closest<HTMLElement>("[data-cell]");
      inside.value = cell !== null;
      const [row, column] = (cell?.dataset.cell ?? "0.0").split(".").map(Number);
      if (cell) at.value = { row: row!, column: column! };
    }
  }
  const onBlur = (event: FocusEvent) => {
    if (!grid.value?.contains(event.relatedTarget as Node | null)) inside.value = false;
  };

  return { at, tabindex: computed(() => (inside.value ? -1 : 0)), onKeydown, onFocus, onBlur };
}
