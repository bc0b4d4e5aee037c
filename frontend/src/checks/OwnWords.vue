<script setup lang="ts">
/** Rules in the prompt's own words that no check watches over, each with what could. Nothing is attached without a yes. */
import { computed, ref } from "vue";

import { useRules } from "@/api/checks";
import type { CheckUse, OfferShape } from "@/api/schema";
import { count } from "@/marks/format";

const props = defineProps<{ name: string; checks: CheckUse[]; kept: boolean }>();
const emit = defineEmits<{ add: [offer: OfferShape] }>();
const rules = useRules(
  () => props.name,
  () => JSON.stringify(props.checks),
  () => props.kept,
);
const open = computed(() => rules.data.value?.rules.filter((rule) => rule.guards.length === 0) ?? []);
const guarded = computed(() => (rules.data.value?.rules.length ?? 0) - open.value.length);
const all = ref(false);
const SHOWN = 5;
const shown = computed(() => (all.value ? open.value : open.value.slice(0, SHOWN)));
</script>

<template>
  <section v-if="rules.data.value?.rules.length" class="mt-5" data-test="own-words">
    <h2 class="caption border-b border-rule-soft pb-1">
      <span class="font-medium">From the prompt’s own words</span>:
      {{ open.length ? `${count(open.length, "rule")} that no check watches over` : "every rule found has its check" }}{{ guarded && open.length ? `; ${guarded} more have one` : "" }}
    </h2>
    <ul>
      <li v-for="rule in shown" :key="`${rule.path} ${rule.start}`" class="border-b border-rule-soft py-1.5" data-test="open-rule">
        <p class="font-serif text-base">“{{ rule.words }}” <span class="caption font-sans">{{ rule.part }}</span></p>
        <p class="flex flex-wrap gap-x-3 gap-y-1 pt-0.5 text-sm">
          <button v-for="offer in rule.offers" :key="offer.check" type="button" class="link" :data-test="`offer-${offer.check}`" @click="emit('add', offer)">add: {{ offer.title }}</button>
        </p>
      </li>
    </ul>
    <button v-if="open.length > SHOWN" type="button" class="link py-1 text-sm" :aria-expanded="all" @click="all = !all">{{ all ? "fewer" : `${open.length - SHOWN} more` }}</button>
  </section>
</template>
