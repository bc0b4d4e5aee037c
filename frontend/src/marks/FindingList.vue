<script setup lang="ts">
import { computed } from "vue";

import type { FindingShape } from "@/api/schema";

const props = defineProps<{ findings: FindingShape[] }>();
/** What failed is what one came to read. */
const failedFirst = computed(() => [...props.findings].sort((one, other) => Number(one.passed) - Number(other.passed)));
</script>

<template>
  <ul class="flex flex-col gap-1">
    <li v-for="finding in failedFirst" :key="finding.measure" class="flex gap-2" data-test="finding">
      <svg width="5" height="17" viewBox="0 0 5 17" class="mt-px shrink-0" role="img" :aria-label="finding.passed ? 'passed' : 'failed'">
        <line x1="0" x2="5" y1="8.5" y2="8.5" stroke="var(--color-rule)" />
        <rect v-if="finding.passed" x="1" y="1" width="3" height="8" fill="var(--color-ink)" />
        <rect v-else x="1" y="8" width="3" height="8" fill="var(--color-rust)" />
      </svg>
      <span v-if="finding.passed" class="text-ink-2">{{ finding.title }}</span>
      <span v-else class="min-w-0 break-words text-rust"
        >{{ finding.title }}: <span class="text-ink-2">{{ finding.message }}</span></span
      >
    </li>
  </ul>
</template>
