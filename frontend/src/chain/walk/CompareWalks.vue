<script setup lang="ts">
/** Two walks side by side, the first step at which they differ marked. */
import { computed, ref, watch } from "vue";

import { fetchWalk } from "@/api/chains";
import { messageOf } from "@/api/client";
import type { StepShape, WalkLineShape, WalkPage } from "@/api/schema";
import { complain } from "@/frame/notices";
import { cents, duration, when } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";
import ValueText from "./ValueText.vue";

const props = defineProps<{ open: boolean; walk: WalkPage; walks: WalkLineShape[] }>();
const emit = defineEmits<{ close: [] }>();
const with_ = ref<number | null>(null);
const other = ref<WalkPage | null>(null);
const others = computed(() => props.walks.filter(({ id }) => id !== props.walk.id));
watch(
  [() => props.open, () => props.walk.id],
  ([open]) => open && (with_.value = props.walk.of_walk ?? others.value[0]?.id ?? null),
  { immediate: true },
);
watch(
  with_,
  async (id) => {
    other.value = null;
    if (id === null) return;
    try {
      const found = await fetchWalk(id);
      if (with_.value === id) other.value = found;
    } catch (wrong) {
      complain(messageOf(wrong));
    }
  },
  { immediate: true },
);

interface Pair {
  at: string;
  mine: StepShape | undefined;
  theirs: StepShape | undefined;
  differs: boolean;
}
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
const pairs = computed<Pair[]>(() => {
  const theirs = new Map((other.value?.steps ?? []).map((step) => [step.at, step]));
  const mine = new Map(props.walk.steps.map((step) => [step.at, step]));
  return [...new Set([...mine.keys(), ...theirs.keys()])].map((at) => {
    const [a, b] = [mine.get(at), theirs.get(at)];
    return { at, mine: a, theirs: b, differs: !a || !b || !same(a.wrote, b.wrote) || a.fault !== b.fault || a.passed_over !== b.passed_over || a.told !== b.told };
  });
});
const first = computed(() => pairs.value.find((pair) => pair.differs && !["repeat", "each", "both", "route", "call"].includes((pair.mine ?? pair.theirs)!.kind))?.at ?? "");
const shown = computed(() => pairs.value.filter(({ mine, theirs }) => !["repeat", "each", "both"].includes((mine ?? theirs)!.kind)));
const namesOf = (pair: Pair) => [...new Set([...Object.keys(pair.theirs?.wrote ?? {}), ...Object.keys(pair.mine?.wrote ?? {})])];
const headOf = (walk: WalkPage) => `walk ${walk.id}${walk.changed ? `, ${walk.changed}` : ""}`;
</script>

<template>
  <SheetDialog :open="open" title="Two walks side by side" width="1040px" @close="emit('close')">
    <p v-if="!others.length" class="text-ink-2">There is no other walk yet. Replay this one from a step, or walk it on another case.</p>
    <template v-else>
      <div class="mb-2 grid grid-cols-[150px_1fr_1fr] items-baseline gap-3 border-b border-rule pb-2">
        <span class="caption">{{ first ? `they differ first at ${first}` : other ? "they are the same" : "" }}</span>
        <select v-model="with_" class="field min-w-0 px-1" aria-label="The other walk" data-test="other-walk">
          <option v-for="each in others" :key="each.id" :value="each.id">walk {{ each.id }}, {{ when(each.created_at) }}: {{ each.changed || each.first_words.slice(0, 50) }}</option>
        </select>
        <b class="truncate font-semibold" :title="headOf(walk)">{{ headOf(walk) }}</b>
      </div>
      <div class="max-h-[60vh] overflow-auto" tabindex="0" role="group" aria-label="Steps of both">
        <div v-for="pair in shown" :key="pair.at" class="grid grid-cols-[150px_1fr_1fr] gap-3 border-b border-rule-soft py-1.5" :class="pair.at === first ? 'bg-straw-wash' : ''" data-test="walk-pair">
          <span class="min-w-0"><span class="font-mono text-xs text-ink-3">{{ pair.at }}</span> <span class="block truncate font-medium">{{ (pair.mine ?? pair.theirs)!.name }}</span><span v-if="pair.at === first" class="caption text-straw" data-test="differs-first">differs first</span></span>
          <div v-for="(step, side) in [pair.theirs, pair.mine]" :key="side" class="min-w-0">
            <p v-if="!step" class="text-ink-3">did not come here</p>
            <template v-else>
              <p v-if="step.passed_over" class="text-ink-3">passed over</p>
              <p v-if="step.fault" class="text-sm text-rust">{{ step.fault }}</p>
              <div v-for="name in namesOf(pair)" :key="name"><span class="font-mono text-xs text-kelp">{{ name }}</span><ValueText :value="step.wrote[name] ?? ''" :differs="pair.differs && JSON.stringify(pair.mine?.wrote[name]) !== JSON.stringify(pair.theirs?.wrote[name])" /></div>
              <p v-if="step.calls" class="caption">{{ duration(step.ms) }} · {{ cents(step.cents) }}</p>
            </template>
          </div>
        </div>
        <div v-if="other" class="grid grid-cols-[150px_1fr_1fr] gap-3 py-2"><b class="font-semibold">The end</b><span v-for="each in [other, walk]" :key="each.id">{{ each.why }} {{ duration(each.ms) }}, {{ cents(each.cents) }}</span></div>
      </div>
    </template>
  </SheetDialog>
</template>
