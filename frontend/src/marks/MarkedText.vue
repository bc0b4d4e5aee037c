<script setup lang="ts">
/** An answer with the very words underlined that a check objects to, shaded where it differs, its citations leading to what they cite. */
import { computed } from "vue";

import type { FindingShape } from "@/api/schema";
import { type Citation, citationsIn } from "./citations";
import { cutAtSpans, type Span } from "./spans";

const props = withDefaults(
  defineProps<{
    text: string;
    findings: FindingShape[];
    differs?: Span[];
    side?: "baseline" | "other";
    /** So many passages there are that `[2]` may cite; none are linked without. */
    passages?: number;
  }>(),
  { differs: () => [], side: "other", passages: 0 },
);
/** The number that is cited, and the sentence that cites it. */
const emit = defineEmits<{ cite: [number: number, sentence: string] }>();
const citations = computed(() => citationsIn(props.text, props.passages));
const objections = computed(() =>
  props.findings.filter((finding) => finding.passed === false).flatMap((finding) => finding.spans),
);
const pieces = computed(() => {
  const differs = new Set<Span>(props.differs);
  const cited = new Map<Span, Citation>(citations.value.map((each) => [each, each]));
  return cutAtSpans(props.text, [...props.differs, ...objections.value, ...citations.value]).map(({ text, spans }) => ({
    text,
    notes: spans.filter((span) => !differs.has(span) && !cited.has(span)).map((span) => span.note),
    cites: spans.map((span) => cited.get(span)).find((each) => each !== undefined),
    differs: spans.some((span) => differs.has(span)),
  }));
});
const SHADES = { baseline: "bg-slate-wash", other: "bg-kelp-wash" };
</script>

<template>
  <span class="break-words whitespace-pre-wrap"
    ><template v-for="(piece, at) in pieces" :key="at"
      ><button v-if="piece.cites" type="button" class="link font-mono text-sm" :title="piece.cites.note" data-test="citation" @click="emit('cite', piece.cites.number, piece.cites.sentence)">{{ piece.text }}</button
      ><mark
        v-else-if="piece.notes.length"
        class="border-b-2 border-rust text-inherit"
        :class="piece.differs ? SHADES[side] : 'bg-rust-wash'"
        :title="piece.notes.join('; ')"
        >{{ piece.text }}</mark
      ><mark v-else-if="piece.differs" class="text-inherit" :class="SHADES[side]" title="differs">{{ piece.text }}</mark
      ><template v-else>{{ piece.text }}</template></template
    ></span
  >
</template>
