<script setup lang="ts">
/** The inputs that the text asks for, and what is known of each. */
import { computed, ref } from "vue";

import type { DraftProblem, Input } from "@/api/schema";
import { useChange } from "../change";
import InputRow from "./InputRow.vue";
import type { RenameDraft } from "./renameDraft";
import RenameInput from "./RenameInput.vue";

const inputs = defineModel<Input[] | undefined>({ required: true });
const props = defineProps<{ found: string[]; unused: string[]; problems: DraftProblem[]; rename: RenameDraft }>();
const renaming = ref<string | null>(null);

/** Those in the text first, in its order; then those that are only described. */
const rows = computed<Input[]>(() => {
  const described = inputs.value ?? [];
  const known = props.found.map((name) => described.find((each) => each.name === name) ?? { name, kind: "text" as const });
  return [...known, ...described.filter((each) => !props.found.includes(each.name))];
});

const change = useChange();
function put(row: Input): void {
  const list = inputs.value ?? [];
  const at = list.findIndex((each) => each.name === row.name);
  inputs.value = at < 0 ? [...list, row] : list.map((each, i) => (i === at ? row : each));
}
function forget(name: string): void {
  change(`“${name}” is forgotten.`, () => (inputs.value = (inputs.value ?? []).filter((each) => each.name !== name)));
}
function problemOf(name: string): string {
  const at = (inputs.value ?? []).findIndex((each) => each.name === name);
  return at < 0 ? "" : (props.problems.find((problem) => problem.field.startsWith(`inputs.${at}.`))?.message ?? "");
}
</script>

<template>
  <div data-test="inputs">
    <InputRow
      v-for="row in rows"
      :key="row.name"
      :model-value="row"
      :unused="unused.includes(row.name)"
      :others="rows.filter((each) => each.name !== row.name && (each.kind ?? 'text') === 'text').map((each) => each.name)"
      :problem="problemOf(row.name)"
      @update:model-value="put"
      @rename="renaming = row.name"
      @forget="forget(row.name)"
    />
    <p v-if="rows.length === 0" class="py-2 text-ink-3">
      None found in the text. Write <code class="chip">&#123;&#123; message &#125;&#125;</code> in a part to have one.
    </p>
    <RenameInput :name="renaming" :rename="rename" @close="renaming = null" />
  </div>
</template>
