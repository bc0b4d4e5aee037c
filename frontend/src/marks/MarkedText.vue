<script setup lang="ts">
/** An answer with the very words underlined that a check objects to. */
import { computed } from "vue";

import type { FindingShape } from "@/api/schema";
import { cutAtSpans } from "./spans";

const props = defineProps<{ text: string; findings: FindingShape[] }>();
const pieces = computed(() =>
  cutAtSpans(
    props.text,
    props.findings.filter((finding) => !finding.passed).flatMap((finding) => finding.spans),
  ),
);
</script>

<template>
  <span class="break-words whitespace-pre-wrap"
    ><template v-for="(piece, at) in pieces" :key="at"
      ><mark
        v-if="piece.notes.length"
        class="border-b-2 border-rust bg-rust-wash text-inherit"
        :title="piece.notes.join('; ')"
        >{{ piece.text }}</mark
      ><template v-else>{{ piece.text }}</template></template
    ></span
  >
</template>
