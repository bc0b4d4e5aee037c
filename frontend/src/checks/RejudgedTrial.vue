<script setup lang="ts">
/** What one check would have said of one trial's answers: rates then and now, and the answers that change. */
import type { RejudgedPage } from "@/api/schema";
import { count } from "@/marks/format";
import MarkedText from "@/marks/MarkedText.vue";

defineProps<{ found: RejudgedPage }>();
const rate = (passed: number, of: number) => (of ? `${((100 * passed) / of).toFixed(1)}%` : "–");
const seen = ({ seen, answers }: RejudgedPage) =>
  seen < answers ? `Of the first ${seen.toLocaleString("en")} of ${count(answers, "answer")}` : `Of ${count(answers, "answer")}`;
</script>

<template>
  <section class="mt-2" data-test="rejudged-trial">
    <p data-test="rejudged">
      <span class="font-mono font-medium">T{{ found.trial }}</span> {{ seen(found) }}, <b class="font-semibold">{{ found.changes.toLocaleString("en") }}</b>
      {{ found.had ? "are judged otherwise than in the trial" : "fail it; the trial did not have it" }}.
    </p>
    <table class="mt-1 text-sm">
      <thead class="caption text-left"><tr><th class="pr-6 font-normal">arm</th><th class="pr-6 font-normal">passes</th><th v-if="found.had" class="font-normal">passed then</th></tr></thead>
      <tbody>
        <tr v-for="arm in found.arms" :key="arm.name">
          <td class="pr-6">{{ arm.name }}</td>
          <td class="pr-6 font-mono">{{ rate(arm.passed, arm.judged) }} of {{ arm.judged }}</td>
          <td v-if="found.had" class="font-mono">{{ rate(arm.passed_then ?? 0, arm.judged) }}</td>
        </tr>
      </tbody>
    </table>
    <ol class="mt-1 max-h-60 overflow-auto">
      <li v-for="each in found.changed" :key="each.reading" class="border-t border-rule-soft py-1.25">
        <span class="caption">case {{ each.case }}, {{ found.arms[each.arm]?.name }}, repeat {{ each.repeat + 1 }} · </span>
        <span class="text-sm" :class="each.passes ? 'text-ink-2' : 'text-rust'">{{ each.message }}</span>
        <span class="block font-serif text-base">
          <MarkedText :text="each.text" :findings="[{ measure: 0, title: '', passed: each.passes, required: true, message: each.message, spans: each.spans, score: null, unit: '', pointers: [], sources: [] }]" />
        </span>
      </li>
    </ol>
    <slot></slot>
  </section>
</template>
