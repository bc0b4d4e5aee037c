<script setup lang="ts">
/** One case at reading width: its inputs, what is expected, tags, where it came from. */
import { computed, onBeforeUnmount, ref, watch } from "vue";

import { api, got, messageOf } from "@/api/client";
import type { CasePage } from "@/api/schema";
import { say } from "@/frame/notices";
import { when } from "@/marks/format";
import { valueOf } from "@/draft/useTryOut";
import LabelField from "@/parts/LabelField.vue";
import { unsaved } from "./unsaved";

const props = defineProps<{ name: string; page: CasePage; labels: string[] }>();
const emit = defineEmits<{ saved: [page: CasePage]; cancel: []; away: [] }>();
const isNew = computed(() => props.page.number === 0);
const inputs = ref<Record<string, string>>({});
const label = ref("");
const tags = ref("");
const wrong = ref("");
const busy = ref(false);
const revision = ref(0);

function fill(page: CasePage): void {
  inputs.value = Object.fromEntries(
    Object.entries(page.content.inputs ?? {}).map(([key, value]) => [
      key,
      typeof value === "string" ? value : JSON.stringify(value, null, 2),
    ]),
  );
  label.value = page.content.expect?.label ?? "";
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
}

const body = computed(() => ({
  inputs: Object.fromEntries(Object.entries(inputs.value).map(([key, text]) => [key, valueOf(text)])),
  expect: { label: label.value.trim() || null },
  tags: tags.value.split(",").map((tag) => tag.trim()).filter(Boolean),
  origin: props.page.content.origin ?? "",
}));
const dirty = computed(() => {
  const before = { ...props.page.content, expect: { label: props.page.content.expect?.label ?? null } };
  return JSON.stringify([body.value.inputs, body.value.expect, body.value.tags]) !== JSON.stringify([before.inputs, before.expect, before.tags]);
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
  else unsaved.set(place, { revision: revision.value, inputs: inputs.value, label: label.value, tags: tags.value });
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
              header: { "If-Match": `"${revision.value}"` },
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
        <textarea
          v-model="inputs[input]"
          rows="3"
          class="field field-sizing-content max-h-[340px] min-h-[78px] w-full font-serif text-read"
          :data-test="`case-input-${input}`"
        ></textarea>
      </label>
      <LabelField v-model="label" :labels="labels" />
      <label class="flex flex-col gap-1">
        <span>Tags <span class="caption">(commas between)</span></span>
        <input v-model="tags" class="field" placeholder="e.g. hard, two wishes" />
      </label>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <p class="caption">A trial keeps its cases as they were when it started, so a change here touches later trials only.</p>
    </div>
  </form>
</template>
