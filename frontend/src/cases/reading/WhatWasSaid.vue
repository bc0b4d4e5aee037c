<script setup lang="ts">
/** The inputs of a case and the turns after them, set as text: each opens for editing where it stands. */
import { computed } from "vue";

import type { Case } from "@/api/schema";
import { asText, isPicture, isRecord } from "@/parts/values";

const props = defineProps<{ content: Case }>();
defineEmits<{ edit: [field: string] }>();
const inputs = computed(() => Object.entries(props.content.inputs ?? {}));
/** A sole input needs no name. */
const plain = computed(() => inputs.value.length === 1);
const persona = computed(() => props.content.person?.persona ?? null);
const played = computed(() => {
  const { about, goal, facts = [], withholds = [], manner } = persona.value ?? {};
  const told = (freely: boolean) => facts.filter((fact) => (fact.freely ?? false) === freely).map(({ what, value }) => `${what}: ${value}`).join("; ");
  return ([["who", about], ["wants", goal], ["tells", told(true)], ["tells if asked", told(false)], ["never tells", withholds.join("; ")], ["writes", manner]] as const).filter(([, words]) => words);
});
interface Passage {
  title?: string;
  text: string;
}
const isPassages = (value: unknown): value is Passage[] => Array.isArray(value) && value.length > 0 && value.every((each) => isRecord(each) && typeof each.text === "string");
const isEmpty = (value: unknown) => !asText(value) || (Array.isArray(value) && !value.length);
</script>

<template>
  <section aria-label="What was said" class="flex flex-col gap-3">
    <div v-for="[name, value] in inputs" :key="name" role="button" tabindex="0" class="group cursor-text" :title="`Edit ${name}`" :data-test="`said-${name}`" @click="$emit('edit', name)" @keydown.enter.prevent="$emit('edit', name)">
      <p v-if="!plain" class="font-mono text-xs text-slate">{{ name }}</p>
      <img v-if="isPicture(value)" :src="String(value)" :alt="name" class="max-h-60 border border-rule" />
      <dl v-else-if="isRecord(value)" class="grid grid-cols-[auto_1fr] gap-x-4 text-base">
        <template v-for="(each, key) in value" :key="key">
          <dt class="font-mono text-sm text-ink-2">{{ key }}</dt>
          <dd class="font-serif">{{ asText(each) }}</dd>
        </template>
      </dl>
      <div v-else-if="isPassages(value)" class="flex flex-col gap-1.5">
        <p v-for="(each, at) in value" :key="at" class="border-l-2 border-rule pl-3 font-serif text-base">
          <b v-if="each.title" class="font-semibold">{{ each.title }}. </b>{{ each.text }}
        </p>
      </div>
      <p v-else class="font-serif text-read whitespace-pre-wrap" :class="isEmpty(value) ? 'text-ink-3 italic' : ''">{{ isEmpty(value) ? "(nothing)" : asText(value) }}</p>
    </div>
    <ol v-if="content.turns?.length" class="flex flex-col gap-1.5 border-t border-rule-soft pt-2" aria-label="What the person says next">
      <li v-for="(turn, at) in content.turns" :key="at" class="flex cursor-text gap-3" @click="$emit('edit', `turn ${at}`)">
        <span class="caption w-12 shrink-0 pt-1">turn {{ at + 2 }}</span>
        <span class="font-serif text-read whitespace-pre-wrap">{{ turn }}</span>
      </li>
    </ol>
    <section v-if="content.tool_answers?.length" class="border-t border-rule-soft pt-2" aria-label="What tools answer" data-test="said-by-tools">
      <p v-for="(told, at) in content.tool_answers" :key="at" class="cursor-text py-0.5" @click="$emit('edit', 'toolAnswers')">
        <span class="font-mono text-sm">{{ told.tool }}</span
        ><template v-if="Object.keys(told.arguments ?? {}).length"> with <span class="font-mono text-sm">{{ JSON.stringify(told.arguments) }}</span></template> answers
        <span class="font-mono text-sm whitespace-pre-wrap">{{ told.answer || "nothing" }}</span>
      </p>
    </section>
    <section v-if="content.person" class="border-t border-rule-soft pt-2" aria-label="What the person says by rules" data-test="said-by-rules">
      <p v-for="(rule, at) in content.person.rules" :key="at" class="cursor-text py-0.5" @click="$emit('edit', 'person')">
        Asked for <span class="font-mono text-sm">{{ rule.asked }}</span>:
        <template v-if="rule.say?.length">
          <template v-for="(words, time) in rule.say" :key="time"><span v-if="time" class="caption"> then </span><span class="font-serif text-read">“{{ words }}”</span></template
          ><template v-if="rule.leaves">, and leaves when asked once more</template>
        </template>
        <template v-else>{{ rule.leaves ? "leaves" : "the talk is done" }}</template>
      </p>
      <div v-if="persona" class="cursor-text border-l-2 border-slate py-0.5 pl-3" data-test="said-by-model" @click="$emit('edit', 'person')">
        <p>Played by <b class="font-medium">{{ persona.model }}</b><template v-if="content.person.rules?.length">, where no rule is met</template>.</p>
        <p v-for="[told, words] in played" :key="told" class="flex gap-2"><span class="caption w-24 shrink-0 pt-0.5">{{ told }}</span><span class="font-serif text-read whitespace-pre-wrap">{{ words }}</span></p>
        <p class="text-ink-2">Leaves after {{ persona.patience ?? 3 }} answers that bring them no nearer · {{ content.person.most_turns ?? 8 }} turns at most</p>
      </div>
      <p v-else class="cursor-text py-0.5 text-ink-2" @click="$emit('edit', 'person')">
        <template v-if="content.person.otherwise?.length">Else: <span v-for="(words, time) in content.person.otherwise" :key="time" class="font-serif text-read"><span v-if="time" class="caption"> then </span>“{{ words }}”</span></template>
        <template v-else>Else the talk is done</template>
        · {{ content.person.most_turns ?? 8 }} turns at most
      </p>
    </section>
  </section>
</template>
