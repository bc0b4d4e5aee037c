<script setup lang="ts">
/** A document set as text, passage by passage, each with its reference in the margin. */
import { computed, nextTick, ref, watch } from "vue";

import { messageOf } from "@/api/client";
import { faultOf } from "@/api/fault";
import { useDocument, useKnowledgeChanges } from "@/api/knowledge";
import type { CollectionPage, Cut } from "@/api/schema";
import { complain, say } from "@/frame/notices";
import { count, when } from "@/marks/format";
import CutFields from "./CutFields.vue";
import DescribeDocument from "./DescribeDocument.vue";
import PassageBlock from "./PassageBlock.vue";

const props = defineProps<{ collection: CollectionPage; stem: string; version: number | null; pointed: string }>();
const document_ = useDocument(computed(() => props.collection.name), computed(() => props.stem), computed(() => props.version));
const pages = computed(() => document_.data.value?.pages ?? []);
const about = computed(() => pages.value[0] ?? null);
const passages = computed(() => pages.value.flatMap((page) => page.holds));
/** Only the newest version is changed. */
const newest = computed(() => props.version === null || props.version === props.collection.version);
const changes = useKnowledgeChanges(() => props.collection.name);
const editing = ref<number | null>(null);
/** The version of the collection that the passage was read in which is being edited. */
const seen = ref(0);
function startEditing(number: number): void {
  seen.value = props.collection.version;
  editing.value = number;
}
const open = ref<"" | "cut" | "describe" | "write">("");
const cut = ref<Cut>({});
const written = ref({ title: "", text: "" });

async function done(told: string, what: Promise<{ version: number }>): Promise<void> {
  const before = props.collection.version;
  try {
    const { version } = await what;
    open.value = "";
    editing.value = null;
    say(`${told} “${props.collection.name}” is at version ${version}.`, () => void changes.bringBack(props.stem, before).catch((error: unknown) => complain(messageOf(error))));
  } catch (error) {
    complain(messageOf(error));
  }
}
const edit = (number: number, text: string) => done(text.trim() ? `${props.stem}#${number} is changed.` : `${props.stem}#${number} is taken out.`, changes.editPassage(props.stem, number, text, seen.value));
const write = () => done("The passage is written.", changes.writePassage({ ...written.value, document: props.stem })).then(() => (written.value = { title: "", text: "" }));
const cutAnew = () => done("It is cut anew.", changes.cutDocument(props.stem, cut.value));
const takeOut = () => done(`${props.stem} is taken out.`, changes.takeOut(props.stem));
function toCut(): void {
  const { by, most, overlap, level } = about.value?.cut ?? {};
  cut.value = { by: by === "hand" ? "headings" : by, most, overlap, level };
  open.value = open.value === "cut" ? "" : "cut";
}

watch(
  [() => props.pointed, passages],
  async ([reference]) => {
    if (!reference) return;
    await nextTick();
    const found = window.document.querySelector(`[data-reference="${CSS.escape(reference)}"]`);
    if (found) found.scrollIntoView({ block: "center" });
    else if (document_.hasNextPage.value && !document_.isFetchingNextPage.value && reference.startsWith(`${props.stem}#`)) void document_.fetchNextPage();
  },
  { immediate: true },
);
function scrolled(event: Event): void {
  const box = event.target as HTMLElement;
  if (box.scrollHeight - box.scrollTop - box.clientHeight < 600 && document_.hasNextPage.value && !document_.isFetchingNextPage.value) void document_.fetchNextPage();
}
</script>

<template>
  <header class="border-b border-rule px-6 py-head">
    <div class="flex items-baseline gap-4">
      <h1 class="min-w-0 flex-1 truncate font-serif text-say font-semibold" data-test="document-title">{{ about?.title || stem }}</h1>
      <template v-if="newest && about">
        <button type="button" class="link text-sm" data-test="write-passage" @click="open = open === 'write' ? '' : 'write'">write a passage</button>
        <button type="button" class="link text-sm" data-test="cut-anew" @click="toCut">cut anew</button>
        <button type="button" class="link text-sm" data-test="describe-document" @click="open = open === 'describe' ? '' : 'describe'">tags, date</button>
        <button type="button" class="link text-sm" data-test="take-out" @click="takeOut">take out</button>
      </template>
    </div>
    <p v-if="about" class="caption truncate">
      {{ about.file }} · {{ count(about.passages, "passage") }} · {{ about.cut.by === "hand" ? "cut by hand" : `cut by ${about.cut.by}` }} · as it is since v{{ about.since }}, {{ when(about.changed_at) }}{{ about.changed_by ? ` by ${about.changed_by}` : "" }}
      <template v-if="about.dated"> · of {{ about.dated }}</template>
      <template v-for="tag in about.tags" :key="tag"> · {{ tag }}</template>
      <b v-if="!newest" class="font-medium text-straw"> · version {{ version }} of the collection; the newest is {{ collection.version }}</b>
    </p>
  </header>
  <CutFields v-if="open === 'cut'" v-model="cut" class="border-b border-rule-soft bg-paper px-6 py-3" :rows="about?.cut.by === 'rows'">
    <button type="button" class="button button-main" data-test="cut-it" @click="cutAnew">Cut it so</button>
    <span class="caption">Passages that stay the same keep their references.</span>
  </CutFields>
  <DescribeDocument v-else-if="open === 'describe' && about" :about="about" @save="(told) => done('It is described.', changes.describeDocument(stem, told))" />
  <form v-else-if="open === 'write'" class="flex flex-col gap-2 border-b border-rule-soft bg-paper px-6 py-3" @submit.prevent="write">
    <input v-model="written.title" class="field" placeholder="Its heading, if it has one" aria-label="Heading of the passage" />
    <textarea v-model="written.text" rows="4" class="field font-serif text-read" placeholder="What it says" aria-label="Text of the passage" data-test="passage-text"></textarea>
    <button type="submit" class="button button-main self-start" :disabled="!written.text.trim()" data-test="keep-passage">Put it at the end</button>
  </form>
  <div class="min-h-0 flex-1 overflow-auto py-4" tabindex="0" role="region" aria-label="The document" data-test="reading" @scroll.passive="scrolled">
    <p v-if="faultOf(document_)" class="px-6 text-rust" role="alert">{{ messageOf(faultOf(document_)) }}</p>
    <div v-else-if="document_.isPending.value" class="flex flex-col gap-3 px-6" role="status" aria-label="Loading">
      <div v-for="n in 6" :key="n" class="h-12 bg-paper"></div>
    </div>
    <PassageBlock
      v-for="passage in passages"
      v-else
      :key="passage.reference"
      :passage="passage"
      :title="about?.title ?? ''"
      :pointed="passage.reference === pointed"
      :editing="editing === passage.number"
      :editable="newest"
      @edit="startEditing(passage.number)"
      @leave="editing = null"
      @save="(text) => edit(passage.number, text)"
    />
    <p v-if="document_.isFetchingNextPage.value" class="caption px-6" role="status">More of it…</p>
  </div>
</template>
