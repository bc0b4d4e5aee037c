<script setup lang="ts">
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, provide, ref, useTemplateRef } from "vue";
import { useRoute } from "vue-router";

import { useModels } from "@/api/models";
import { useVersions } from "@/api/subjects";
import type { Example, Prompt, VersionPage } from "@/api/schema";
import { isTyping, useKeys } from "@/frame/keys";
import { say } from "@/frame/notices";
import PromptSheet from "./PromptSheet.vue";
import SheetDrawers from "./SheetDrawers.vue";
import { partAt, type Place } from "./sheet";
import TryOut from "./talk/TryOut.vue";
import { copied } from "@/parts/values";
import { CHANGE } from "./change";
import { useDraft } from "./useDraft";

// What is not looked at at once comes apart.
const VersionPanel = defineAsyncComponent(() => import("./versions/VersionPanel.vue"));
const FragmentDialog = defineAsyncComponent(() => import("./fragments/FragmentDialog.vue"));
const SaveVersion = defineAsyncComponent(() => import("./SaveVersion.vue"));
const StaleDraft = defineAsyncComponent(() => import("./StaleDraft.vue"));

const name = String(useRoute().params.name);
const draft = useDraft(name);
const { content, facts, status, keptAs, error, theirs, base, edits } = draft;
const versions = useVersions(computed(() => name));
const listing = ref(false);
const naming = ref(false);
const saving = ref(false);

const nextNumber = computed(() => (versions.data.value?.[0]?.number ?? 0) + 1);
const title = computed(() => {
  if (facts.baseVersion === null) return "Draft, no version yet";
  return facts.edited || status.value === "CHANGED" ? `Draft after v${facts.baseVersion}` : `Draft, same as v${facts.baseVersion}`;
});
const savable = computed(() => facts.edited || facts.baseVersion === null || status.value === "CHANGED");
const blocked = computed(() => {
  const problem = facts.problems[0];
  if (status.value === "REFUSED") return error.value;
  return problem ? (problem.part ? `Look at “${problem.part}”` : problem.message) : "";
});
const sheet = useTemplateRef<{ insert: (text: string) => void }>("sheet");
const models = useModels();
/** Names of the models that the columns ask. */
const asked = ref<string[]>([]);
const askedModels = computed(() => (models.data.value?.models ?? []).filter((model) => asked.value.includes(model.name)));
const fragments = ref(false);
/** The part that is to be kept as a fragment. */
const keeping = ref<Place | null>(null);
const begin = computed(() => {
  const part = keeping.value && content.value ? partAt(content.value, keeping.value) : undefined;
  return part ? { name: part.name, text: part.text ?? "" } : null;
});

function openFragments(place: Place | null): void {
  keeping.value = place;
  fragments.value = true;
}
function included(include: string): void {
  const part = keeping.value && content.value ? partAt(content.value, keeping.value) : undefined;
  if (part) part.text = include;
}
/** Let the draft read as this, with a way back. */
function replace(next: Prompt, told: string): void {
  draft.change(told, () => (content.value = copied(next)));
}
function addExample(example: Example): void {
  const prompt = content.value;
  if (!prompt) return;
  const before = prompt.examples ?? [];
  draft.change(`It is example ${before.length + 1} now.`, () => (prompt.examples = [...before, example]));
}
/** In a field of the draft, or while nothing is typed anywhere, Ctrl Z is the draft's own. */
function onUndoKey(event: KeyboardEvent): void {
  const key = event.key.toLowerCase();
  if (!(event.ctrlKey || event.metaKey) || event.altKey || (key !== "z" && key !== "y")) return;
  const elsewhere = isTyping(event.target) && !(event.target as HTMLElement).closest("[data-undo='draft']");
  if (elsewhere || document.querySelector('[role="dialog"]')) return;
  event.preventDefault();
  event.stopPropagation();
  if (key === "y" || event.shiftKey) draft.redo();
  else draft.undo();
}
onMounted(() => window.addEventListener("keydown", onUndoKey, true));
onBeforeUnmount(() => window.removeEventListener("keydown", onUndoKey, true));
provide(CHANGE, draft.change);

async function save(note: string): Promise<void> {
  saving.value = true;
  const saved = await draft.saveVersion(note);
  saving.value = false;
  if (!saved) return;
  naming.value = false;
  say(saved.isNew ? `Saved as v${saved.number}.` : `Nothing differs from v${saved.number}, so no version was made.`);
}

function bring(version: VersionPage): void {
  listing.value = false;
  replace(version.content, `The draft now reads as v${version.number}.`);
}

useKeys([
  { keys: { "ctrl+s": () => (naming.value = true) }, shown: ["Ctrl S"], label: "save version" },
  { keys: { v: () => (listing.value = true), "[": () => (listing.value = true) }, shown: ["V"], label: "versions" },
  { keys: { f: () => openFragments(null) }, shown: ["F"], label: "fragments" },
  { keys: {}, shown: ["Ctrl Z"], label: "undo", everywhere: true },
]);
</script>

<template>
  <main class="flex min-h-0 flex-1 gap-3 px-edge py-3">
    <section class="panel flex w-[42%] min-w-105 flex-col" data-undo="draft" @focusin="draft.history.seal()">
      <header class="flex items-center gap-3 border-b border-rule px-4 py-head max-wide:gap-1 max-wide:[&_.button]:px-1.75">
        <span class="min-w-0 flex-1">
          <span class="block truncate font-semibold" :title="title" data-test="draft-title">{{ title }}</span>
          <span class="caption block truncate" :class="{ 'text-straw': status === 'AWAY' || status === 'STALE' }" data-test="kept">{{
            keptAs || "\u00a0"
          }}</span>
        </span>
        <button type="button" class="button" data-test="fragments" @click="openFragments(null)">Fragments</button>
        <button type="button" class="button" data-test="versions" @click="listing = true">Versions</button>
        <button
          type="button"
          class="button"
          :class="savable ? 'button-main' : ''"
          :disabled="!content || !!blocked || !savable"
          :title="savable ? blocked : 'The draft is the same as the version'"
          data-test="save-version"
          @click="naming = true"
        >
          Save as v{{ nextNumber }}
        </button>
      </header>
      <StaleDraft v-if="theirs && content && base" :base="base" :yours="content" :theirs="theirs" @settle="draft.settle($event as Prompt)" />
      <div class="min-h-0 flex-1 overflow-auto">
        <div v-if="!content" class="flex flex-col gap-4 p-5">
          <template v-if="error">
            <p class="text-rust" role="alert">{{ error }}</p>
            <button type="button" class="button self-start" @click="draft.reload">Try again</button>
          </template>
          <div v-for="n in error ? 0 : 3" :key="n" class="h-14 bg-paper" role="status" aria-label="Loading"></div>
        </div>
        <PromptSheet v-else ref="sheet" v-model="content" :problems="facts.problems" :inputs="facts.inputs" :unguarded="facts.unguarded" @fragment="openFragments($event)" />
      </div>
      <SheetDrawers
        v-if="content"
        v-model="content"
        :facts="facts"
        :name="name"
        :models="askedModels"
        :rename="draft.rename"
        @insert="sheet?.insert($event)"
      />
    </section>
    <TryOut v-if="content" :name="name" :prompt="content" :edits="edits" :input-names="facts.inputs" :blocked="blocked" @models="asked = $event"
      @example="addExample"
      @bring="replace($event, 'The draft reads as it did in that try.')"
    />
    <div v-else class="panel flex-1"></div>
  </main>
  <VersionPanel
    v-if="content"
    :open="listing"
    :name="name"
    :draft="content"
    :base="facts.baseVersion"
    :edited="facts.edited"
    @close="listing = false"
    @bring="bring"
  />
  <FragmentDialog
    :open="fragments"
    :begin="begin"
    @close="fragments = false"
    @insert="sheet?.insert($event)"
    @kept="included"
  />
  <SaveVersion :open="naming" :next="nextNumber" :busy="saving" @close="naming = false" @save="save" />
</template>
