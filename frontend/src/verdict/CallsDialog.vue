<script setup lang="ts">
/** The calls that a reading took: each with its exact request, and the reply as it came. */
import { computed, ref, watch } from "vue";

import { faultOf } from "@/api/fault";
import { messageOf } from "@/api/client";
import { useLook } from "./look";
import { useReading } from "@/api/trials";
import type { ReadingLine } from "@/api/schema";
import { cents, count, duration } from "@/marks/format";
import { copyText } from "@/parts/copy";
import SheetDialog from "@/parts/SheetDialog.vue";

const props = defineProps<{ reading: ReadingLine | null }>();
defineEmits<{ close: [] }>();
const whole = useReading(computed(() => props.reading?.id ?? null), useLook());
const calls = computed(() => (whole.data.value?.reading.id === props.reading?.id ? (whole.data.value?.calls ?? []) : []));
const at = ref(0);
watch(
  () => props.reading,
  () => (at.value = 0),
);
const call = computed(() => calls.value[at.value]);
const title = computed(() =>
  (props.reading?.calls ?? 0) > 1 ? "The exact requests, and the replies as they came" : "The exact request, and the reply as it came",
);

/** `2.1` is the first round of the third answer; a talk counts from 0. */
function nameOf(path: string, all: string[]): string {
  if (path.startsWith("judge.")) return all.filter((each) => each.startsWith("judge.")).length > 1 ? `judge ${path.slice(6)}` : "judge";
  const [turn, round] = path.split(".");
  const turns = new Set(all.map((each) => each.split(".")[0])).size;
  const rounds = all.filter((each) => each.split(".")[0] === turn).length;
  const told = [turns > 1 ? `answer ${Number(turn) + 1}` : "", rounds > 1 ? `round ${round}` : ""].filter(Boolean);
  return told.join(", ") || "call";
}
const names = computed(() => {
  const paths = calls.value.filter(({ purpose }) => purpose !== "tool" && purpose !== "blame").map((each) => each.path);
  return calls.value.map((each) => (each.purpose === "tool" ? toolIn(each.request) : each.purpose === "blame" ? `blame, step ${each.path.slice(6).split("/")[0]}` : nameOf(each.path, paths)));
});
function toolIn(request: string): string {
  try {
    return (JSON.parse(request) as { tool: string }).tool;
  } catch {
    return "tool";
  }
}
const HOW: Record<string, string> = { fixed: "its fixed answer", recorded: "recorded before", live: "called" };
const how = computed(() => {
  try {
    return HOW[(JSON.parse(call.value?.reply ?? "") as { how: string }).how] ?? "";
  } catch {
    return "";
  }
});

function tidy(text: string): string {
  try {
    return JSON.stringify(JSON.parse(text), null, 2);
  } catch {
    return text;
  }
}
</script>

<template>
  <SheetDialog :open="!!reading" :title="title" width="760px" @close="$emit('close')">
    <p v-if="faultOf(whole)" class="text-rust" role="alert">{{ messageOf(faultOf(whole)) }}</p>
    <p v-else-if="reading && whole.isPending.value" class="text-ink-2">Looking…</p>
    <template v-if="reading">
      <div v-if="calls.length > 1" class="mb-3 flex flex-wrap gap-1" role="tablist" aria-label="Calls">
        <button
          v-for="(name, index) in names"
          :key="index"
          type="button"
          role="tab"
          class="button"
          :class="index === at ? 'border-kelp text-kelp' : ''"
          :aria-selected="index === at"
          data-test="call-tab"
          @click="at = index"
        >
          {{ name }}
        </button>
      </div>
      <template v-if="call">
        <p v-if="call.purpose === 'tool'" class="caption mb-1">a tool · {{ how }}<template v-if="call.total_ms >= 0.5"> · {{ duration(call.total_ms) }}</template></p>
        <p v-else class="caption mb-1">
          request<template v-if="call.model"> to {{ call.model }}</template> ·
          {{ call.estimated ? "about " : "" }}{{ call.input_tokens }} + {{ call.output_tokens }} tokens · {{ duration(call.total_ms) }} ·
          {{ call.estimated ? "about " : "" }}{{ cents(call.cents) }} · {{ count(call.attempts, "attempt") }} ·
          <button type="button" class="link" data-test="copy-request" @click="copyText('The request', tidy(call.request))">copy</button>
        </p>
        <pre class="max-h-[38vh] overflow-auto border border-rule-soft bg-white p-3 font-mono text-sm whitespace-pre-wrap" data-test="reading-request">{{
          tidy(call.request)
        }}</pre>
        <p class="caption mt-3 mb-1">reply</p>
        <pre class="max-h-[24vh] overflow-auto border border-rule-soft bg-white p-3 font-mono text-sm whitespace-pre-wrap">{{ call.reply ?? call.error }}</pre>
      </template>
    </template>
  </SheetDialog>
</template>
