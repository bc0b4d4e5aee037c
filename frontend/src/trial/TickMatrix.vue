<script setup lang="ts">
/** Cases down, arms across, a tick strip in each cell. Thousands of cases scroll smoothly. */
import { useVirtualizer } from "@tanstack/vue-virtual";
import { computed, useTemplateRef, watch } from "vue";

import type { TrialPage } from "@/api/schema";
import TickStrip from "@/marks/TickStrip.vue";
import { type Matrix, settingsInShort } from "./matrix";
import { useGridFocus } from "./useGridFocus";
import { useTrialCases } from "./useTrialCases";

const props = defineProps<{
  page: TrialPage;
  matrix: Matrix;
  /** Case positions in the order to show them. */
  order: number[];
  /** A few words about an arm, under its name. */
  notes: string[];
  chosenCase: number | null;
  chosenArm: number | null;
  /** The arm that the others are held against. */
  baseline?: number;
}>();
const emit = defineEmits<{ choose: [caseAt: number, arm: number | null] }>();

const ROW = 30;
const scroller = useTemplateRef<HTMLElement>("scroller");
const rows = useVirtualizer(
  computed(() => ({
    count: props.order.length,
    getScrollElement: () => scroller.value,
    estimateSize: () => ROW,
    overscan: 10,
    scrollPaddingStart: 44,
  })),
);
const { lines, want } = useTrialCases(computed(() => props.page.id));
watch(
  () => rows.value.getVirtualItems().map((row) => props.order[row.index]!),
  (seen) => want(seen.filter((position) => position !== undefined)),
  { immediate: true },
);
const strip = computed(() => Math.max(props.page.repeats * 7 + 16, 88));
/** Few arms have room for long names. */
const widest = computed(() => {
  const name = Math.max(...props.page.arms.map((arm) => arm.name.length)) * 7.5 + 12;
  return Math.max(strip.value, 124, props.page.arms.length <= 3 ? Math.min(name, 200) : 0);
});
const columns = computed(() => {
  return { gridTemplateColumns: `minmax(150px, 1fr) 84px repeat(${props.page.arms.length}, minmax(${strip.value}px, ${widest.value}px))` };
});
const leastWidth = computed(() => `${270 + props.page.arms.length * (strip.value + 8)}px`);

watch(
  () => props.chosenCase,
  (chosen) => {
    const at = chosen === null ? -1 : props.order.indexOf(chosen);
    if (at >= 0) rows.value.scrollToIndex(at, { align: "auto" });
  },
  { flush: "post" },
);
const focus = useGridFocus(
  scroller,
  () => ({ row: props.order.length, column: props.page.arms.length + 1 }),
  (row) => rows.value.scrollToIndex(row, { align: "auto" }),
  ({ row, column }) => emit("choose", props.order[row]!, column === 0 ? null : props.page.arms[column - 1]!.position),
);
const { tabindex } = focus;
const colourOf = (arm: number) => (arm === (props.baseline ?? 0) ? "text-slate" : arm === props.chosenArm ? "text-kelp" : "");
const lineOf = (arm: number) => (arm === (props.baseline ?? 0) ? "border-slate" : arm === props.chosenArm ? "border-kelp" : "border-transparent");
</script>

<template>
  <div ref="scroller" class="min-h-0 flex-1 overflow-auto" role="grid" aria-label="Cases and arms"
    :aria-rowcount="order.length + 1"
    :aria-colcount="page.arms.length + 2"
    :tabindex="tabindex"
    data-test="matrix"
    @keydown="focus.onKeydown"
    @focusin="focus.onFocus"
    @focusout="focus.onBlur"
  >
    <div
      class="sticky top-0 z-10 grid gap-x-2 border-b border-rule bg-sheet px-gut"
      :style="{ ...columns, minWidth: leastWidth }"
      role="row"
    >
      <span class="caption self-end py-line" role="columnheader"><slot name="corner">Case</slot></span>
      <span class="caption self-end py-line" role="columnheader">expects</span>
      <button
        v-for="arm in page.arms"
        :key="arm.position"
        type="button"
        class="min-w-0 border-b-2 py-1.25 text-left"
        :class="lineOf(arm.position)"
        role="columnheader"
        :title="[arm.name, settingsInShort(arm.settings)].filter(Boolean).join(', ')"
        @click="emit('choose', chosenCase ?? order[0] ?? 0, arm.position)"
      >
        <span class="block truncate font-medium" :class="colourOf(arm.position)">{{ arm.name }}</span>
        <span class="caption block truncate font-mono">{{ notes[arm.position] || "\u00a0" }}</span>
      </button>
    </div>
    <div :style="{ height: `${rows.getTotalSize()}px`, position: 'relative', minWidth: leastWidth }">
      <div
        v-for="row in rows.getVirtualItems()"
        :key="order[row.index]"
        class="absolute inset-x-0 grid h-7.5 cursor-pointer items-center gap-x-2 border-b border-rule-soft px-gut hover:bg-paper"
        :class="order[row.index] === chosenCase ? 'bg-kelp-wash hover:bg-kelp-wash' : ''"
        :style="{ ...columns, transform: `translateY(${row.start}px)` }"
        role="row"
        :aria-rowindex="row.index + 2"
        :aria-selected="order[row.index] === chosenCase"
        data-test="matrix-row"
        @click="emit('choose', order[row.index]!, null)"
      >
        <span class="truncate" role="rowheader" tabindex="-1" :data-cell="`${row.index}.0`" :title="lines.get(order[row.index]!)?.title">{{
          lines.get(order[row.index]!)?.title ?? "\u00a0"
        }}<span v-if="lines.get(order[row.index]!)?.pair" class="caption ml-2">⇄ {{ lines.get(order[row.index]!)?.pair }}</span></span>
        <span class="truncate font-mono text-sm text-ink-2" role="gridcell">{{ lines.get(order[row.index]!)?.expects ?? "–" }}</span>
        <span
          v-for="(arm, column) in page.arms"
          :key="arm.position"
          role="gridcell"
          tabindex="-1"
          :data-cell="`${row.index}.${column + 1}`"
          class="flex h-full items-center"
          @click.stop="emit('choose', order[row.index]!, arm.position)"
        >
          <TickStrip :marks="matrix.at(arm.position, order[row.index]!)" />
        </span>
      </div>
    </div>
  </div>
</template>
