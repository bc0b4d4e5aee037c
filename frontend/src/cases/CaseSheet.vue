<script setup lang="ts">
/** One case at reading width: its inputs, what is expected, tags, where it came from. */
import { computed, onBeforeUnmount, ref, watch } from "vue";

import { api, got, ifMatch, messageOf } from "@/api/client";
import type { CasePage } from "@/api/schema";
import { say } from "@/frame/notices";
import { when } from "@/marks/format";
import { asText, isPicture, listFrom, valueOf } from "@/parts/values";
import LabelField from "@/parts/LabelField.vue";
import { unsaved } from "./unsaved";

const props = defineProps<{ name: string; page: CasePage; labels: string[] }>();
const emit = defineEmits<{ saved: [page: CasePage]; cancel: []; away: [] }>();
const isNew = computed(() => props.page.number === 0);
const inputs = ref<Record<string, string>>({});
const label = ref("");
const tags = ref("");
const answer = ref("");
/** One a line. */
const turns = ref("");
const mustNotSay = ref("");
const lines = (text: string) => text.split("\n").map((line) => line.trim()).filter(Boolean);
const wrong = ref("");
const busy = ref(false);
const revision = ref(0);

function fill(page: CasePage): void {
  inputs.value = Object.fromEntries(
    Object.entries(page.content.inputs ?? {}).map(([key, value]) => [key, asText(value)]),
  );
  label.value = page.content.expect?.label ?? "";
  answer.value = page.content.expect?.answer ?? "";
  mustNotSay.value = (page.content.expect?.must_not_say ?? []).join("\n");
  turns.value = (page.content.turns ?? []).join("\n");
  tags.value = (page.content.tags ?? []).join(", ");
  revision.value = page.revision;
}
fill(props.page);
const place = `${props.name}/${props.page.number}`;
const typed = unsaved.get(place);
if (typed && typed.revision === props.page.revision) {
  inputs.value = typed.inputs;
  label.value = typed.label;
  tags.value = typed.tags;
  answer.value = typed.answer;
  turns.value = typed.turns;
  mustNotSay.value = typed.mustNotSay;
}

const body = computed(() => ({
  inputs: Object.fromEntries(Object.entries(inputs.value).map(([key, text]) => [key, valueOf(text)])),
  expect: { label: label.value.trim() || null, answer: answer.value.trim() || null, must_not_say: lines(mustNotSay.value) },
  turns: lines(turns.value),
  tags: listFrom(tags.value),
  origin: props.page.content.origin ?? "",
}));
const dirty = computed(() => {
  const { inputs: given, expect, tags: tagged, turns: said } = props.page.content;
  const before = [given, expect?.label ?? null, expect?.answer ?? null, expect?.must_not_say ?? [], tagged ?? [], said ?? []];
  const { inputs: now, expect: wanted, tags: chosen, turns: next } = body.value;
  return JSON.stringify([now, wanted.label, wanted.answer, wanted.must_not_say, chosen, next]) !== JSON.stringify(before);
});
// A refetch may bring a newer text; it is taken only while nothing is being typed here.
watch(
  () => props.page,
  (page, before) => {
    if (before && page.revision !== before.revision && (!dirty.value || page.revision === revision.value)) fill(page);
  },
);

onBeforeUnmount(() => {
  if (!dirty.value) unsaved.delete(place);
  else {
    const typed = { inputs: inputs.value, label: label.value, tags: tags.value, answer: answer.value, turns: turns.value, mustNotSay: mustNotSay.value };
    unsaved.set(place, { revision: revision.value, ...typed });
  }
});

async function save(): Promise<void> {
  busy.value = true;
  wrong.value = "";
  try {
    const kept = isNew.value
      ? await got(
          api.POST("/api/v1/subjects/{name}/cases", { params: { path: { name: props.name } }, body: body.value }),
        )
      : await got(
          api.PUT("/api/v1/subjects/{name}/cases/{number}", {
            params: {
              path: { name: props.name, number: props.page.number },
              header: ifMatch(revision.value),
            },
            body: body.value,
          }),
        );
    revision.value = kept.revision;
    if (isNew.value) fill(props.page); // so that the next new one starts empty
    say(isNew.value ? `Kept as case ${kept.number}.` : `Case ${kept.number} is changed.`);
    emit("saved", kept);
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form class="flex min-h-0 flex-1 flex-col" @submit.prevent="save">
    <header class="flex items-center gap-3 border-b border-rule px-4 py-[10px]">
      <span class="min-w-0 flex-1">
        <span class="block font-semibold">{{ isNew ? "New case" : `Case ${page.number}` }}</span>
        <span class="caption block truncate">{{
          [dirty && !isNew ? "not saved yet" : "", page.content.origin, page.updated_at ? `changed ${when(page.updated_at)}` : ""].filter(Boolean).join(" · ") || "\u00a0"
        }}</span>
      </span>
      <button v-if="isNew" type="button" class="button" @click="emit('cancel')">Cancel</button>
      <button v-else type="button" class="button" data-test="put-away" @click="emit('away')">Put away</button>
      <button type="submit" class="button" :class="dirty || isNew ? 'button-main' : ''" :disabled="busy || (!dirty && !isNew)" data-test="save-case">
        {{ isNew ? "Keep it" : "Save" }}
      </button>
    </header>
    <div class="flex min-h-0 flex-1 flex-col gap-4 overflow-auto p-4">
      <label v-for="(_, input) in inputs" :key="input" class="flex flex-col gap-1">
        <span class="font-mono text-xs text-slate">{{ input }}</span>
        <img v-if="isPicture(inputs[input])" :src="inputs[input]" :alt="String(input)" class="max-h-[200px] self-start border border-rule" />
        <textarea
          v-else
          v-model="inputs[input]"
          rows="3"
          class="field field-sizing-content max-h-[340px] min-h-[78px] w-full font-serif text-read"
          :data-test="`case-input-${input}`"
        ></textarea>
      </label>
      <label class="flex flex-col gap-1">
        <span>What the person says next <span class="caption">(a turn a line; for talks)</span></span>
        <textarea v-model="turns" rows="1" class="field field-sizing-content max-h-[160px] w-full font-serif" data-test="case-turns"></textarea>
      </label>
      <LabelField v-model="label" :labels="labels" />
      <label class="flex flex-col gap-1">
        <span>An answer that would be right <span class="caption">(for you, and to show as an example)</span></span>
        <textarea v-model="answer" rows="1" class="field field-sizing-content max-h-[200px] w-full font-serif"></textarea>
      </label>
      <label class="flex flex-col gap-1">
        <span>It must not say <span class="caption">(words, one a line; capitals do not count)</span></span>
        <textarea v-model="mustNotSay" rows="1" class="field field-sizing-content max-h-[120px] w-full font-serif" data-test="case-must-not-say"></textarea>
      </label>
      <label class="flex flex-col gap-1">
        <span>Tags <span class="caption">(commas between)</span></span>
        <input v-model="tags" class="field" placeholder="e.g. hard, two wishes" />
      </label>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <p class="caption">A trial keeps its cases as they were when it started, so a change here touches later trials only.</p>
    </div>
  </form>
</template>
