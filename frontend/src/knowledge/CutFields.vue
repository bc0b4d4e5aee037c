<script setup lang="ts">
/** How a document is cut: by what, how long at most, how much is told again. */
import type { Cut } from "@/api/schema";

const cut = defineModel<Cut>({ required: true });
withDefaults(defineProps<{ rows?: boolean; suits?: boolean }>(), { rows: true, suits: false });
</script>

<template>
  <div class="flex flex-wrap items-center gap-x-4 gap-y-2">
    <label class="flex items-center gap-2">
      <span>Cut</span>
      <select v-model="cut.by" class="field px-1" data-test="cut-by">
        <option v-if="suits" :value="undefined">as suits each</option>
        <option value="headings">at headings</option>
        <option value="length">by length, at ends of sentences</option>
        <option v-if="rows" value="rows">a row a passage</option>
      </select>
    </label>
    <label v-if="cut.by === 'headings'" class="flex items-center gap-2">
      <span>down to level</span>
      <input v-model.number="cut.level" type="number" min="1" max="6" class="field w-14" data-test="cut-level" />
    </label>
    <template v-if="cut.by !== 'rows'">
      <label class="flex items-center gap-2"><span>at most</span><input v-model.number="cut.most" type="number" min="100" max="20000" step="100" class="field w-22" data-test="cut-most" /><span class="caption">characters</span></label>
      <label class="flex items-center gap-2"><span>overlap</span><input v-model.number="cut.overlap" type="number" min="0" max="10000" step="50" class="field w-20" data-test="cut-overlap" /></label>
    </template>
    <slot></slot>
  </div>
</template>
