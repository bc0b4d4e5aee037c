<script setup lang="ts">
/** One case at reading width: its inputs, what is expected, tags, where it came from. */
import { computed, nextTick, onMounted, useTemplateRef, watch } from "vue";

import { fetchCase, useCaseChanges } from "@/api/cases";
import type { CasePage } from "@/api/schema";
import { say } from "@/frame/notices";
import { when } from "@/marks/format";
import { onTop } from "@/keep/onTop";
import { useKeptDocument } from "@/keep/useKeptDocument";
import LabelField from "@/parts/LabelField.vue";
import { isPicture } from "@/parts/values";
import { useQueryClient } from "@tanstack/vue-query";
import { contentWith, FIELDS, type Texts, textsOf } from "./editing";
import TurnsField from "./TurnsField.vue";

const props = defineProps<{ name: string; page: CasePage; labels: string[]; typing?: boolean }>();
const emit = defineEmits<{ saved: [page: CasePage]; cancel: []; away: [] }>();
const queries = useQueryClient();
const changes = useCaseChanges(() => props.name);
const isNew = computed(() => props.page.number === 0);

const doc = useKeptDocument<CasePage, Texts>(
  {
    load: async () => (isNew.value ? props.page : fetchCase(queries, props.name, props.page.number)),
    send: (texts, page) => {
      const body = contentWith(page.content, texts);
      return page.number === 0 ? changes.keep(body) : changes.change(page.number, page.revision, body);
    },
    contentOf: (page) => textsOf(page.content),
    revisionOf: (page) => page.revision,
    merge: (base, mine, theirs) => {
      const { content, both } = onTop(base, mine, theirs);
      return { content, both: both.map((field) => FIELDS[field]) };
    },
  },
  { place: `case.${props.name}/${props.page.number}`, saves: "when told", first: props.page },
);
const { both, error } = doc;
const texts = computed(() => doc.content.value!);
const kept = computed(() => doc.page.value!);
const busy = computed(() => doc.status.value === "KEEPING");
const dirty = computed(() => doc.status.value !== "KEPT");
/** Somebody else's change comes in under what is being typed here. */
watch(() => props.page, doc.offer);

const fields = useTemplateRef<HTMLTextAreaElement[]>("fields");
onMounted(async () => {
  await nextTick();
  if (props.typing) fields.value?.[0]?.focus();
});

const EXPECTED = [
  ["known", "Do the inputs say what is asked?", "yes: it answers", "no: it says so"],
  ["refuse", "Should it decline?", "yes: it declines", "no: it answers"],
] as const;

async function save(): Promise<void> {
  if (busy.value || (!dirty.value && !isNew.value)) return;
  if (!(await doc.keep(isNew.value))) return;
  say(isNew.value ? `Kept as case ${kept.value.number}.` : `Case ${kept.value.number} is changed.`);
  emit("saved", kept.value);
}
</script>

<template>
  <form class="flex min-h-0 flex-1 flex-col" @submit.prevent="save" @keydown.ctrl.enter.prevent.stop="save">
    <header class="flex items-center gap-3 border-b border-rule px-4 py-head">
      <span class="min-w-0 flex-1">
        <span class="block font-semibold">{{ isNew ? "New case" : `Case ${page.number}` }}</span>
        <span class="caption block truncate">{{
          [dirty && !isNew ? "not saved yet" : "", kept.content.origin, kept.updated_at ? `changed ${when(kept.updated_at)}${kept.changed_by ? ` by ${kept.changed_by}` : ""}` : ""].filter(Boolean).join(" · ") || "\u00a0"
        }}</span>
      </span>
      <button v-if="isNew" type="button" class="button" @click="emit('cancel')">Cancel</button>
      <button v-else type="button" class="button" data-test="put-away" @click="emit('away')">Put away</button>
      <button type="submit" class="button" :class="dirty || isNew ? 'button-main' : ''" :disabled="busy || (!dirty && !isNew)" data-test="save-case">
        {{ isNew ? "Keep it" : "Save" }}
      </button>
    </header>
    <div class="flex min-h-0 flex-1 flex-col gap-4 overflow-auto p-4">
      <label v-for="(_, input) in texts.inputs" :key="input" class="flex flex-col gap-1">
        <span class="font-mono text-xs text-slate">{{ input }}</span>
        <img v-if="isPicture(texts.inputs[input])" :src="texts.inputs[input]" :alt="String(input)" class="max-h-50 self-start border border-rule" />
        <textarea
          v-else
          ref="fields"
          v-model="texts.inputs[input]"
          rows="3"
          class="field field-sizing-content max-h-85 min-h-19.5 w-full font-serif text-read"
          :data-test="`case-input-${input}`"
        ></textarea>
      </label>
      <TurnsField v-model="texts.turns" />
      <LabelField v-model="texts.label" :labels="labels" />
      <label class="flex flex-col gap-1">
        <span>An answer that would be right <span class="caption">(for you, and to show as an example)</span></span>
        <textarea v-model="texts.answer" rows="1" class="field field-sizing-content max-h-50 w-full font-serif"></textarea>
      </label>
      <label class="flex flex-col gap-1">
        <span>It must not say <span class="caption">(words, one a line; capitals do not count)</span></span>
        <textarea v-model="texts.mustNotSay" rows="1" class="field field-sizing-content max-h-30 w-full font-serif" data-test="case-must-not-say"></textarea>
      </label>
      <div class="grid grid-cols-2 gap-4">
        <label v-for="[field, told, yes, no] in EXPECTED" :key="field" class="flex flex-col gap-1">
          <span>{{ told }}</span>
          <select v-model="texts[field]" class="field px-1" :data-test="`case-${field}`">
            <option value="">nothing is expected</option>
            <option value="yes">{{ yes }}</option>
            <option value="no">{{ no }}</option>
          </select>
        </label>
      </div>
      <label class="flex flex-col gap-1">
        <span>Tags <span class="caption">(commas between)</span></span>
        <input v-model="texts.tags" class="field" placeholder="e.g. hard, two wishes" />
      </label>
      <p v-if="both.length" class="text-straw" role="status">Changed elsewhere, too: {{ both.join(", ") }}. Saving puts yours in its place.</p>
      <p v-if="error" class="text-rust" role="alert">{{ error }}</p>
      <p class="caption">A trial keeps its cases as they were when it started, so a change here touches later trials only.</p>
    </div>
  </form>
</template>
