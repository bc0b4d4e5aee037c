import { onScopeDispose, ref, shallowRef, watch, type Ref } from "vue";

import { fetchWalk } from "@/api/chains";
import { messageOf } from "@/api/client";
import type { StepShape, WalkPage } from "@/api/schema";
import { complain } from "@/frame/notices";

/** A step of a walk that is shown: over, or being done, with what its model has written so far. */
export interface Shown extends StepShape {
  start_ms: number;
  total_ms: number;
  running: boolean;
  text: string;
}

const blank = (at: string, name: string, kind: string): Shown => ({
  at, name, kind, given: {}, wrote: {}, told: "", calls: 0, input_tokens: 0, output_tokens: 0, cents: 0, passed_over: false, fault: "", reasoning: "", halts: "", model: "", tools: [], found: [], said: [], ms: 0, start_ms: 0, total_ms: 0, running: true, text: "",
});

/** The chosen walk: fetched, and followed by its events while it goes on. `over` is told once when it ends. */
export function useWalk(id: Ref<number | null>, over: () => void) {
  const page = shallowRef<WalkPage | null>(null);
  const steps = ref<Shown[]>([]);
  let source: EventSource | null = null;

  function stop(): void {
    source?.close();
    source = null;
  }
  async function look(walk: number): Promise<void> {
    try {
      const found = await fetchWalk(walk);
      if (id.value !== walk) return;
      page.value = found;
      if (found.over) steps.value = found.steps.map((step) => ({ ...blank(step.at, step.name, step.kind), ...step, running: false }) as Shown);
      else if (!source) follow(walk);
    } catch (wrong) {
      complain(messageOf(wrong));
    }
  }
  function ownerOf(path: string): Shown | undefined {
    return steps.value.filter((step) => path === step.at || path.startsWith(`${step.at}.`) || path.startsWith(`${step.at}~`)).sort((a, b) => b.at.length - a.at.length)[0];
  }
  function follow(walk: number): void {
    source = new EventSource(`/api/v1/walks/${walk}/events`);
    const on = (kind: string, take: (told: never) => void) => source?.addEventListener(kind, (event) => id.value === walk && take(JSON.parse((event as MessageEvent<string>).data) as never));
    on("begun", ({ at, name, kind }: { at: string; name: string; kind: string }) => {
      const there = steps.value.find((step) => step.at === at);
      if (!there) steps.value.push(blank(at, name, kind));
      else if (there.running) there.text = there.reasoning = "";
    });
    on("piece", ({ path, kind, text }: { path: string; kind: string; text: string }) => {
      const step = ownerOf(path);
      if (!step?.running) return;
      if (kind === "reasoning") step.reasoning += text;
      else step.text += text;
    });
    on("step", (told: StepShape) => {
      const shown = { ...blank(told.at, told.name, told.kind), ...told, running: false } as Shown;
      const at = steps.value.findIndex((step) => step.at === told.at);
      if (at >= 0) steps.value[at] = shown;
      else steps.value.push(shown);
    });
    on("known", ({ at, wrote }: { at: string; wrote: Record<string, unknown> }) => {
      const step = steps.value.find((each) => each.at === at);
      if (step?.running) step.wrote = wrote;
    });
    on("paused", () => void look(walk));
    on("said", () => void look(walk));
    on("end", () => {
      stop();
      void look(walk).then(over);
    });
  }
  watch(
    id,
    (walk) => {
      stop();
      page.value = null;
      steps.value = [];
      if (walk !== null) void look(walk);
    },
    { immediate: true },
  );
  onScopeDispose(stop);
  return { page, steps, look: () => (id.value === null ? Promise.resolve() : look(id.value)) };
}
