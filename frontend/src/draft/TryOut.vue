<script setup lang="ts">
/** The try-out: one text, answered by each column's model. */
import { computed, ref, watch } from "vue";

import { api, got, messageOf } from "@/api/client";
import { cheapestAndDearest, useCases, useModels } from "@/api/queries";
import type { ExactRequest as Request, Prompt } from "@/api/schema";
import { useKeys } from "@/frame/keys";
import { cents, count } from "@/marks/format";
import ExactRequest from "./ExactRequest.vue";
import KeepCase from "./KeepCase.vue";
import TryColumn from "./TryColumn.vue";
import { useTryOut } from "./useTryOut";

const props = defineProps<{ name: string; prompt: Prompt; inputNames: string[]; blocked: string }>();
const models = useModels();
const subjectName = computed(() => props.name);
const cases = useCases(subjectName);
const tryOut = useTryOut(props.name, () => props.prompt, () => props.inputNames);
const { inputs, columns, repeats, oneSeed, spent, busy, caseNumber, expected } = tryOut;
const request = ref<Request | null>(null);
const requestError = ref("");
const showing = ref(false);
const keeping = ref(false);

watch(
  () => models.data.value?.models,
  (list) => {
    if (!list || columns.value.length) return;
    for (const model of cheapestAndDearest(list)) tryOut.addColumn(model.name);
  },
  { immediate: true },
);
watch(
  () => cases.data.value?.cases,
  (list) => {
    if (!list) return;
    const kept = list.find((each) => each.number === caseNumber.value);
    if (kept) expected.value = kept.content.expect?.label ?? null;
    const empty = props.inputNames.every((input) => !inputs.value[input]);
    if (!kept && empty && list[0]) tryOut.useCase(list[0]);
  },
  { immediate: true },
);

const chosen = computed(() => cases.data.value?.cases.find((each) => each.number === caseNumber.value) ?? null);
const changed = computed(
  () => chosen.value !== null && props.inputNames.some((input) => {
    const kept = chosen.value?.content.inputs?.[input];
    return (typeof kept === "string" ? kept : JSON.stringify(kept, null, 2)) !== inputs.value[input];
  }),
);

function choose(value: string): void {
  const number = value === "" ? null : Number(value);
  tryOut.useCase(cases.data.value?.cases.find((each) => each.number === number) ?? null);
  if (number === null) inputs.value = Object.fromEntries(props.inputNames.map((input) => [input, ""]));
}

async function showRequest(at = 0): Promise<void> {
  const column = columns.value[at];
  if (!column) return;
  showing.value = true;
  request.value = null;
  requestError.value = "";
  if (column.answer) {
    request.value = column.answer.request;
    return;
  }
  try {
    request.value = await got(
      api.POST("/api/v1/subjects/{name}/requests", {
        params: { path: { name: props.name } },
        body: tryOut.bodyFor(column),
      }),
    );
  } catch (wrong) {
    requestError.value = messageOf(wrong);
  }
}

const labels = computed(() => (props.prompt.reply?.kind === "text" ? [] : (props.prompt.reply?.labels ?? [])));
const ask = () => {
  if (!props.blocked) void tryOut.askAll();
};
useKeys([
  { keys: { "ctrl+enter": ask }, shown: ["Ctrl ↵"], label: "answer" },
  { keys: { k: () => (keeping.value = true) }, shown: ["K"], label: "keep as case" },
  { keys: { r: () => void showRequest() }, shown: ["R"], label: "exact request" },
]);
</script>

<template>
  <div class="flex min-w-0 flex-1 flex-col gap-3">
    <section class="panel">
      <header class="flex items-center gap-3 border-b border-rule-soft px-[14px] py-2">
        <span class="shrink-0 font-semibold">Try it on</span>
        <select
          class="field min-w-0 flex-1"
          :value="caseNumber ?? ''"
          aria-label="Case to try it on"
          data-test="try-case"
          @change="choose(($event.target as HTMLSelectElement).value)"
        >
          <option value="">your own text</option>
          <option v-for="each in cases.data.value?.cases" :key="each.number" :value="each.number">
            case {{ each.number }} · {{ each.title }}
          </option>
        </select>
        <span class="caption shrink-0">{{ changed ? "changed here" : expected ? `expects ${expected}` : "" }}</span>
      </header>
      <div class="max-h-[150px] overflow-auto">
        <label
          v-for="input in inputNames"
          :key="input"
          class="flex items-start gap-3 border-b border-rule-soft px-[14px] py-[7px] last:border-b-0"
        >
          <span class="w-[88px] shrink-0 truncate pt-[3px] font-mono text-xs text-slate" :title="input">{{ input }}</span>
          <textarea
            v-model="inputs[input]"
            rows="1"
            class="field-sizing-content max-h-[120px] w-full resize-none bg-transparent font-serif text-read outline-none"
            :placeholder="`Type ${input} here`"
            :data-test="`input-${input}`"
          ></textarea>
        </label>
        <p v-if="inputNames.length === 0" class="px-[14px] py-2 text-ink-3">
          The draft asks for no inputs. Write <code class="chip">&#123;&#123; message &#125;&#125;</code> in a part to have one.
        </p>
      </div>
    </section>

    <section class="panel flex min-h-0 flex-1">
      <TryColumn
        v-for="(column, at) in columns"
        :key="column.id"
        v-model="columns[at]!"
        :models="models.data.value?.models ?? []"
        :settings="prompt.settings ?? {}"
        :only="columns.length === 1"
        @remove="tryOut.removeColumn(column.id)"
        @ask="tryOut.ask(column.id)"
        @show="showRequest(at)"
      />
      <p v-if="models.error.value" class="p-4 text-rust">{{ messageOf(models.error.value) }}</p>
      <p v-else-if="models.data.value?.models.length === 0" class="p-4">
        There is no model yet. Start Epistem with <code class="chip">epistem up</code>, which brings stand-in models.
      </p>
    </section>

    <section class="panel flex items-center gap-2 px-[14px] py-2">
      <button v-if="busy" type="button" class="button" @click="tryOut.stopAll()">Stop</button>
      <button
        v-else
        type="button"
        class="button button-main"
        :disabled="!!blocked || columns.length === 0"
        :title="blocked"
        data-test="answer-button"
        @click="ask"
      >
        {{ columns.some((column) => column.answer) ? "Answer again" : "Answer" }}
      </button>
      <select v-model.number="repeats" class="field px-1" title="How often each column is asked" aria-label="How often each column is asked" data-test="try-repeats">
        <option v-for="times in [1, 3, 5, 10, 20]" :key="times" :value="times">{{ times }} ×</option>
      </select>
      <label v-if="columns.length > 1" class="flex items-center gap-1 text-sm whitespace-nowrap" title="Differences then come from the columns alone, where the servers keep to seeds">
        <input v-model="oneSeed" type="checkbox" class="accent-kelp" data-test="one-seed" /> one seed
      </label>
      <button type="button" class="button" data-test="keep-case" @click="keeping = true">Keep as case</button>
      <button type="button" class="button" :disabled="!!blocked" data-test="exact-request" @click="showRequest()">Exact request</button>
      <button
        v-if="columns.length < 4"
        type="button"
        class="button"
        title="Another one like the last"
        data-test="add-column"
        @click="tryOut.addColumn(columns.at(-1)?.model ?? models.data.value?.models[0]?.name ?? '', columns.at(-1)?.temperature ?? null)"
      >
        Add column
      </button>
      <span class="flex-1"></span>
      <span v-if="blocked" class="truncate text-sm text-rust">{{ blocked }}</span>
      <span v-else-if="spent.calls" class="caption min-w-0 truncate">{{ count(spent.calls, "call") }}, {{ cents(spent.cents) }}</span>
    </section>
  </div>
  <ExactRequest :open="showing" :request="request" :error="requestError" @close="showing = false" />
  <KeepCase
    :open="keeping"
    :name="name"
    :inputs="tryOut.given.value"
    :labels="labels"
    :suggested="expected"
    @close="keeping = false"
  />
</template>
