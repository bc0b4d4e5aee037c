<script setup lang="ts">
/** A case as a page to read: what was said, what a right answer is, how it has fared. */
import { computed } from "vue";

import type { CasePage, ReplyShape } from "@/api/schema";
import { useSubject } from "@/api/subjects";
import { isGuarded, sentencesOf } from "./expected";
import PairSection from "../pairs/PairSection.vue";
import EarlierVersions from "./EarlierVersions.vue";
import HowItFared from "./HowItFared.vue";
import WhatWasSaid from "./WhatWasSaid.vue";

const props = defineProps<{ name: string; page: CasePage; reply?: ReplyShape }>();
defineEmits<{ edit: [field: string] }>();
const subject = useSubject(computed(() => props.name));
const sentences = computed(() => sentencesOf(props.page.content.expect));
const checks = computed(() => subject.data.value?.checks ?? []);
/** Each label with who gave it, where they do not agree. */
const disagree = computed(() => {
  const given = new Map<string, string[]>();
  for (const { by, label } of props.page.content.labelled ?? []) given.set(label, [...(given.get(label) ?? []), by || "somebody"]);
  return given.size > 1 ? [...given].map(([label, people]) => ({ label, people: people.join(" and ") })) : [];
});
const facts = computed(() =>
  [
    ["labelled", disagree.value.length ? "" : (props.page.content.labelled ?? []).map(({ by, label }) => `${label} by ${by}`).join(", ")],
    ["of the step", props.page.content.step],
    ["tags", props.page.content.tags?.join(", ")],
    ["owner", props.page.content.owner],
    ["id there", props.page.content.key],
    ["note", props.page.content.note],
  ].filter(([, value]) => value) as [string, string][],
);
</script>

<template>
  <div class="flex min-h-0 flex-1 flex-col gap-4 overflow-auto p-4" data-test="case-reading">
    <WhatWasSaid :content="page.content" @edit="$emit('edit', $event)" />
    <section aria-label="What a right answer is">
      <h3 class="caption border-b border-rule-soft pb-1">What a right answer is</h3>
      <p v-if="!sentences.length" class="py-1 text-ink-2">
        Nothing is expected of it, so only checks that need no case judge it.
        <button type="button" class="link" @click="$emit('edit', 'label')">Say what is right</button>
      </p>
      <div v-for="sentence in sentences" :key="sentence.field" class="flex items-baseline gap-2 border-b border-rule-soft py-1">
        <p role="button" tabindex="0" class="min-w-0 flex-1 cursor-text" data-test="expected" @click="$emit('edit', sentence.field)" @keydown.enter.prevent="$emit('edit', sentence.field)">
          <template v-for="(part, at) in sentence.told" :key="at"
            ><span :class="part.quoted ? 'font-serif text-read' : ''">{{ part.text }}</span></template
          >
        </p>
        <RouterLink v-if="subject.data.value && !isGuarded(sentence, checks) && sentence.field !== 'answer'" class="link shrink-0 text-sm text-straw" :to="{ name: 'checks', params: { name } }">no check judges this</RouterLink>
      </div>
    </section>
    <p v-if="disagree.length" class="border-l-2 border-straw pl-3" role="button" tabindex="0" data-test="disagree" @click="$emit('edit', 'labelled')" @keydown.enter.prevent="$emit('edit', 'labelled')">
      People disagree about its label:
      <template v-for="({ label, people }, at) in disagree" :key="label">{{ at ? "; " : "" }}{{ people }} {{ people.includes(" and ") ? "say" : "says" }} <span class="font-mono text-sm">{{ label }}</span></template>.
    </p>
    <PairSection :name="name" :page="page" :checks="subject.data.value?.checks ?? null" :reply="reply" @edit="$emit('edit', $event)" />
    <HowItFared :name="name" :number="page.number" :held-out="!!page.content.tags?.includes('holdout')" />
    <dl v-if="facts.length" class="grid grid-cols-[auto_1fr] gap-x-4 gap-y-0.5 text-sm">
      <template v-for="[what, value] in facts" :key="what">
        <dt class="caption pt-0.5">{{ what }}</dt>
        <dd class="whitespace-pre-wrap">{{ value }}</dd>
      </template>
    </dl>
    <EarlierVersions :name="name" :page="page" />
  </div>
</template>
