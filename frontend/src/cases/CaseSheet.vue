<script setup lang="ts">
/** One case at reading width: its inputs, what is expected, tags, where it came from. */
import { computed, nextTick, onMounted, ref, useTemplateRef, watch } from "vue";

import { fetchCase, useCaseChanges } from "@/api/cases";
import { messageOf, Refusal } from "@/api/client";
import type { CasePage } from "@/api/schema";
import { say } from "@/frame/notices";
import { when } from "@/marks/format";
import LabelField from "@/parts/LabelField.vue";
import { keepUnsaved, unsavedOf } from "@/parts/unsaved";
import { isPicture } from "@/parts/values";
import { useQueryClient } from "@tanstack/vue-query";
import { contentWith, edited, onTop, textsOf, type Unsaved } from "./editing";
import TurnsField from "./TurnsField.vue";

const props = defineProps<{ name: string; page: CasePage; labels: string[] }>();
const emit = defineEmits<{ saved: [page: CasePage]; cancel: []; away: [] }>();
const queries = useQueryClient();
const changes = useCaseChanges(() => props.name);
const isNew = computed(() => props.page.number === 0);
const place = `case.${props.name}/${props.page.number}`;

/** What is kept, as the fields show it, and what stands in the fields. */
const kept = ref(props.page);
const texts = ref(textsOf(props.page.content));
/** Fields that somebody else changed, too, while they were edited here. */
const both = ref<string[]>([]);
const wrong = ref("");
const busy = ref(false);
const dirty = computed(() => edited(texts.value, textsOf(kept.value.content)).length > 0);

const typed = unsavedOf<Unsaved>(place);
if (typed) take(onTop(typed.texts, typed.before, texts.value));

function take(merged: ReturnType<typeof onTop>): void {
  texts.value = merged.texts;
  both.value = merged.both;
}
/** Somebody else's change comes in under what is being typed here. */
function rebase(page: CasePage): void {
  if (page.revision <= kept.value.revision) return;
  take(onTop(texts.value, textsOf(kept.value.content), textsOf(page.content)));
  kept.value = page;
}
watch(() => props.page, rebase);
keepUnsaved<Unsaved>(place, () => {
  const before = textsOf(kept.value.content);
  return edited(texts.value, before).length ? { texts: texts.value, before } : null;
});

const fields = useTemplateRef<HTMLTextAreaElement[]>("fields");
onMounted(async () => {
  await nextTick();
  if (isNew.value) fields.value?.[0]?.focus();
});

async function save(): Promise<void> {
  if (busy.value || (!dirty.value && !isNew.value)) return;
  busy.value = true;
  wrong.value = "";
  const sent = texts.value;
  const body = contentWith(kept.value.content, sent);
  try {
    if (isNew.value) {
      const page = await changes.keep(body);
      texts.value = textsOf(kept.value.content); // so that the next new one starts empty
      say(`Kept as case ${page.number}.`);
      emit("saved", page);
      return;
    }
    const page = await changes.change(kept.value.number, kept.value.revision, body);
    // What was typed since it was sent stays on top of it.
    take(onTop(texts.value, sent, textsOf(page.content)));
    kept.value = page;
    say(`Case ${page.number} is changed.`);
    emit("saved", page);
  } catch (error) {
    if (error instanceof Refusal && error.problem.status === 412) await catchUp();
    else wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}

async function catchUp(): Promise<void> {
  try {
    rebase(await fetchCase(queries, props.name, kept.value.number));
    wrong.value = "The case was changed elsewhere meanwhile. What you typed stands on top of that now: look, and save again.";
  } catch (error) {
    wrong.value = messageOf(error);
  }
}
</script>

<template>
  <form class="flex min-h-0 flex-1 flex-col" @submit.prevent="save" @keydown.ctrl.enter.prevent.stop="save">
    <header class="flex items-center gap-3 border-b border-rule px-4 py-[10px]">
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
        <img v-if="isPicture(texts.inputs[input])" :src="texts.inputs[input]" :alt="String(input)" class="max-h-[200px] self-start border border-rule" />
        <textarea
          v-else
          ref="fields"
          v-model="texts.inputs[input]"
          rows="3"
          class="field field-sizing-content max-h-[340px] min-h-[78px] w-full font-serif text-read"
          :data-test="`case-input-${input}`"
        ></textarea>
      </label>
      <TurnsField v-model="texts.turns" />
      <LabelField v-model="texts.label" :labels="labels" />
      <label class="flex flex-col gap-1">
        <span>An answer that would be right <span class="caption">(for you, and to show as an example)</span></span>
        <textarea v-model="texts.answer" rows="1" class="field field-sizing-content max-h-[200px] w-full font-serif"></textarea>
      </label>
      <label class="flex flex-col gap-1">
        <span>It must not say <span class="caption">(words, one a line; capitals do not count)</span></span>
        <textarea v-model="texts.mustNotSay" rows="1" class="field field-sizing-content max-h-[120px] w-full font-serif" data-test="case-must-not-say"></textarea>
      </label>
      <label class="flex flex-col gap-1">
        <span>Tags <span class="caption">(commas between)</span></span>
        <input v-model="texts.tags" class="field" placeholder="e.g. hard, two wishes" />
      </label>
      <p v-if="both.length" class="text-straw" role="status">Changed elsewhere, too: {{ both.join(", ") }}. Saving puts yours in its place.</p>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <p class="caption">A trial keeps its cases as they were when it started, so a change here touches later trials only.</p>
    </div>
  </form>
</template>
