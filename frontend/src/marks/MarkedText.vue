<script setup lang="ts">
/** An answer with the very words underlined that a check objects to, and shaded where it differs. */
import { computed } from "vue";

import type { FindingShape } from "@/api/schema";
import { cutAtSpans, type Span } from "./spans";

const props = withDefaults(
  defineProps<{ text: string; findings: FindingShape[]; differs?: Span[]; side?: "baseline" | "other" }>(),
  { differs: () => [], side: "other" },
);
const objections = computed(() =>
  props.findings.filter((finding) => finding.passed === false).flatMap((finding) => finding.spans),
);
const pieces = computed(() => {
  const differs = new Set<Span>(props.differs);
  return cutAtSpans(props.text, [...props.differs, ...objections.value]).map(({ text, spans }) => ({
    text,
    notes: spans.filter((span) => !differs.has(span)).map((span) => span.note),
    differs: spans.some((span) => differs.has(span)),
  }));
});
const SHADES = { baseline: "bg-slate-wash", other: "bg-kelp-wash" };
</script>

<template>
  <span class="break-words whitespace-pre-wrap"
    ><template v-for="(piece, at) in pieces" :key="at"
      ><mark
        v-if="piece.notes.length"
        class="border-b-2 border-rust text-inherit"
        :class="piece.differs ? SHADES[side] : 'bg-rust-wash'"
        :title="piece.notes.join('; ')"
        >{{ piece.text }}</mark
      ><mark v-else-if="piece.differs" class="text-inherit" :class="SHADES[side]" title="differs">{{ piece.text }}</mark
      ><template v-else>{{ piece.text }}</template></template
    ></span
  >
</template>
