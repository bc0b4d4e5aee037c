<script setup lang="ts">
/** What a model's server does otherwise than most. */
import { computed } from "vue";

import type { Habits } from "@/api/schema";
import TypedField from "@/parts/TypedField.vue";

const habits = defineModel<Habits>({ required: true });
defineProps<{ format: string }>();
type Refusable = NonNullable<Habits["refuses"]>[number];
const REFUSABLE: Refusable[] = ["seed", "temperature", "top_p", "stop", "frequency_penalty", "presence_penalty", "stream_options"];
const refuses = computed({
  get: () => habits.value.refuses ?? [],
  set: (names: Refusable[]) => change({ refuses: REFUSABLE.filter((each) => names.includes(each)) }),
});
const told = computed(() => {
  const { refuses: names = [], limit_as, schema_as, key_header, key_prefix } = habits.value;
  const words = names.length ? [`refuses ${names.join(", ")}`] : [];
  if (limit_as && limit_as !== "max_tokens") words.push(limit_as);
  if (schema_as && schema_as !== "schema") words.push(schema_as === "object" ? "any JSON object" : "no reply schema");
  if (key_header || key_prefix != null) words.push(`key in ${key_header || "the usual header"}`);
  return words.join(" · ") || "as most do";
});

function change(edit: Partial<Habits>): void {
  habits.value = { ...habits.value, ...edit };
}
const typed = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value;
</script>

<template>
  <details>
    <summary class="cursor-pointer" data-test="habits">What its server does otherwise <span class="caption" data-test="habits-told">{{ told }}</span></summary>
    <div class="flex flex-col gap-2.5 pt-2">
      <fieldset v-if="format === 'chat_completions'" class="flex flex-col gap-1">
        <legend>It refuses <span class="caption">so it is not sent</span></legend>
        <span class="flex flex-wrap gap-x-4">
          <label v-for="each in REFUSABLE" :key="each" class="flex items-center gap-1 font-mono text-sm">
            <input v-model="refuses" type="checkbox" :value="each" class="accent-kelp" :data-test="`refuses-${each}`" /> {{ each }}
          </label>
        </span>
      </fieldset>
      <div v-if="format === 'chat_completions'" class="grid grid-cols-2 gap-x-4">
        <label class="flex flex-col gap-1"
          ><span>Limit of an answer, sent as</span>
          <select class="field font-mono" :value="habits.limit_as ?? 'max_tokens'" data-test="limit-as" @change="change({ limit_as: typed($event) as Habits['limit_as'] })">
            <option>max_tokens</option>
            <option>max_completion_tokens</option>
          </select>
        </label>
        <label class="flex flex-col gap-1"
          ><span>Reply schema, sent</span>
          <select class="field" :value="habits.schema_as ?? 'schema'" data-test="schema-as" @change="change({ schema_as: typed($event) as Habits['schema_as'] })">
            <option value="schema">whole</option>
            <option value="object">as “some JSON object”</option>
            <option value="none">not at all</option>
          </select>
        </label>
      </div>
      <div class="grid grid-cols-2 gap-x-4">
        <label class="flex flex-col gap-1"
          ><span>Key in the header</span
          ><TypedField class="field font-mono" :model-value="habits.key_header ?? ''" placeholder="the usual one" data-test="key-header" @update:model-value="change({ key_header: $event.trim() })"
/></label>
        <label class="flex flex-col gap-1"
          ><span>Before the key</span
          ><TypedField class="field font-mono" :model-value="habits.key_prefix ?? ''" placeholder="the usual" data-test="key-prefix" @update:model-value="change({ key_prefix: $event.trim() || null })"
/></label>
      </div>
    </div>
  </details>
</template>
