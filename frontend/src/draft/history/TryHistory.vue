<script setup lang="ts">
/** What was tried, newest first, with a way back to any of it. */
import { computed, ref, watch } from "vue";

import { useTries, useTry } from "@/api/tries";
import AnswerText from "@/answer/AnswerText.vue";
import { faultOf } from "@/api/fault";
import { messageOf } from "@/api/client";
import type { KeptTry, TryLine } from "@/api/schema";
import { cents, duration, when } from "@/marks/format";
import TickStrip from "@/marks/TickStrip.vue";
import SheetDialog from "@/parts/SheetDialog.vue";
import { shown } from "@/parts/values";

const props = defineProps<{ open: boolean; name: string }>();
const emit = defineEmits<{ close: []; bring: [kept: KeptTry] }>();
const chosen = ref<number | null>(null);

const name = computed(() => props.name);
const pages = useTries(name, () => props.open);
const lines = computed(() => pages.data.value?.pages.flatMap((page) => page.tries) ?? []);
const kept = useTry(name, chosen);

watch(
  () => props.open,
  (open) => {
    if (!open) return;
    chosen.value = null;
    void pages.refetch();
  },
);
watch(lines, (list) => {
  if (chosen.value === null && list[0]) chosen.value = list[0].id;
});

const asked = (line: TryLine) => line.said + (line.turn > 1 ? `, turn ${line.turn}` : "");
function settings(line: TryLine): string {
  const { temperature } = line.settings;
  return [line.version ? `v${line.version}` : `edit ${line.edit}`, line.model, temperature != null ? `t ${temperature}` : ""]
    .filter(Boolean)
    .join(" · ");
}
</script>

<template>
  <SheetDialog :open="open" title="What was tried" width="1060px" @close="emit('close')">
    <p v-if="faultOf(pages)" class="text-rust">{{ messageOf(faultOf(pages)) }}</p>
    <p v-else-if="pages.isPending.value" class="text-ink-3">Looking…</p>
    <p v-else-if="lines.length === 0" class="text-ink-2">Nothing yet. Every answer here is kept, with the draft as it was.</p>
    <div v-else class="flex min-h-0 gap-4">
      <ul class="max-h-[62vh] w-[56%] overflow-auto border-r border-rule-soft pr-2" data-test="tries">
        <li v-for="line in lines" :key="line.id">
          <button
            type="button"
            class="grid w-full grid-cols-[84px_14px_1fr] items-center gap-x-3 border-b border-rule-soft px-2 py-line text-left"
            :class="line.id === chosen ? 'bg-kelp-wash' : 'hover:bg-paper'"
            data-test="try-line"
            @click="chosen = line.id"
          >
            <span class="caption truncate" :title="line.tried_by ? `tried by ${line.tried_by}` : undefined">{{ when(line.tried_at) }}</span>
            <TickStrip :marks="[line.passed ? 'passed' : 'failed']" />
            <span class="min-w-0">
              <span class="block truncate text-sm">{{ settings(line) }}<span class="text-ink-3"> · {{ asked(line) }}</span></span>
              <span class="block truncate font-serif">{{ line.first_words || "(empty)" }}</span>
            </span>
          </button>
        </li>
        <li v-if="pages.hasNextPage.value" class="p-2">
          <button type="button" class="link text-sm" @click="pages.fetchNextPage()">Show older ones</button>
        </li>
      </ul>
      <section v-if="kept.data.value" class="flex max-h-[62vh] min-w-0 flex-1 flex-col gap-3 overflow-auto">
        <dl class="border-l-2 border-rule pl-3">
          <div v-for="(value, input) in kept.data.value.asked.inputs" :key="input" class="flex gap-3">
            <dt class="font-mono text-xs text-slate">{{ input }}</dt>
            <dd class="line-clamp-4 min-w-0 font-serif break-words">{{ shown(value) }}</dd>
          </div>
        </dl>
        <AnswerText
          :text="kept.data.value.answered.answer"
          :findings="kept.data.value.answered.findings"
          :value="kept.data.value.answered.value"
          :faults="kept.data.value.answered.shape_faults"
        />
        <p v-if="kept.data.value.answered.finish_reason !== 'stop'" class="text-sm text-straw">
          {{ kept.data.value.answered.finish_reason === "length" ? "cut off at the token limit" : kept.data.value.answered.finish_reason }}
        </p>
        <p class="caption">
          {{ kept.data.value.answered.input_tokens }} + {{ kept.data.value.answered.output_tokens }} tokens ·
          {{ duration(kept.data.value.answered.total_ms) }} · {{ cents(kept.data.value.answered.cents) }} · seed
          {{ kept.data.value.asked.seed }}
        </p>
        <button type="button" class="button button-main self-start" data-test="bring-try" @click="emit('bring', kept.data.value)">
          Go back to this draft and inputs
        </button>
      </section>
    </div>
  </SheetDialog>
</template>
