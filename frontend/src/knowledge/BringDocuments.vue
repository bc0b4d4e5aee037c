<script setup lang="ts">
/** Files on their way into a collection: read, shown as they would be cut, put right, and only then kept. */
import { computed, ref, watch } from "vue";

import { messageOf } from "@/api/client";
import { type HowCut, MOST_BYTES, useBrought, useBroughtFile, useKnowledgeChanges } from "@/api/knowledge";
import type { BroughtLine, CollectionPage, Cut } from "@/api/schema";
import { say } from "@/frame/notices";
import { count } from "@/marks/format";
import { useRested } from "@/parts/useRested";
import { listFrom } from "@/parts/values";
import CutFields from "./CutFields.vue";

const props = defineProps<{ collection: CollectionPage }>();
const emit = defineEmits<{ kept: []; cancel: [] }>();
const changes = useKnowledgeChanges(() => props.collection.name);
const name = computed(() => props.collection.name);
const cut = ref<Cut>({ most: 1200, overlap: 0, level: 3 });
const how = useRested<HowCut>(() => {
  const { by, most, overlap, level } = cut.value;
  return { by: by === "hand" ? undefined : by, most: most || 1200, overlap: overlap || 0, level: level || 3 };
});
const brought = useBrought(name, how);
const files = computed(() => brought.data.value?.files ?? []);
const good = computed(() => files.value.filter(({ outcome }) => outcome === "new" || outcome === "changed"));
const chosenId = ref<number | null>(null);
const chosen = computed(() => files.value.find(({ id }) => id === chosenId.value) ?? files.value.find(({ problem }) => !problem) ?? files.value[0] ?? null);
const looked = useBroughtFile(name, computed(() => (chosen.value && !chosen.value.problem ? chosen.value.id : null)), how);

const tags = ref("");
const dated = ref("");
const wrong = ref("");
/** While files are sent: how many of how many. */
const sending = ref<{ done: number; of: number } | null>(null);
const keeping = ref(false);
const over = ref(false);
const pasted = ref("");

async function take(list: File[]): Promise<void> {
  const named = list.map((file) => ({ file, name: file.webkitRelativePath || file.name })).filter(({ name: path }) => !path.split("/").some((step) => step.startsWith(".")));
  wrong.value = "";
  sending.value = { done: 0, of: named.length };
  try {
    for (const { file, name: path } of named) {
      if (file.size > MOST_BYTES) wrong.value = `${path} has ${Math.round(file.size / 1e6)} MB; the limit is ${MOST_BYTES / 1e6}. Split it, or bring in a part.`;
      else await changes.bring(path, file);
      sending.value.done += 1;
    }
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    sending.value = null;
  }
}
const picked = (event: Event) => {
  const field = event.target as HTMLInputElement;
  void take([...(field.files ?? [])]).then(() => (field.value = ""));
};
function drop(event: DragEvent): void {
  over.value = false;
  void take([...(event.dataTransfer?.files ?? [])]);
}
async function takePasted(): Promise<void> {
  const first = pasted.value.trim().split("\n")[0]!.replace(/^#+\s*/, "").slice(0, 60) || "pasted";
  await take([new File([pasted.value], `${first}.md`)]);
  pasted.value = "";
}
async function keep(): Promise<void> {
  keeping.value = true;
  wrong.value = "";
  try {
    const page = await changes.keep({ cut: cut.value.by ? cut.value : null, tags: listFrom(tags.value), dated: dated.value || null });
    say(`“${page.name}” is at version ${page.version}: ${count(page.documents, "document")}, ${count(page.passages, "passage")}.`);
    emit("kept");
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    keeping.value = false;
  }
}
async function doing(what: Promise<unknown>): Promise<void> {
  try {
    await what;
  } catch (error) {
    wrong.value = messageOf(error);
  }
}
const told = (file: BroughtLine) =>
  file.problem ||
  ({
    new: count(file.passages, "passage"),
    changed: `${count(file.passages, "passage")}: ${file.kept} keep their references, ${file.fresh} new, ${file.gone} gone`,
    same: "as it is kept already",
    bad: "",
  }[file.outcome]);
const WAYS = [
  { told: "Choose files", test: "documents", folder: false },
  { told: "Choose a folder", test: "documents-folder", folder: true },
];
watch(name, () => (chosenId.value = null));
</script>

<template>
  <header class="flex items-center gap-3 border-b border-rule px-6 py-head">
    <span class="min-w-0 flex-1"><b class="block truncate font-semibold">Bring documents into {{ collection.name }}</b><span class="caption block truncate">nothing is kept before you say so</span></span>
    <button type="button" class="button" @click="emit('cancel')">Close</button>
    <button type="button" class="button" :class="good.length ? 'button-main' : ''" :disabled="!good.length || keeping || !!sending" data-test="keep-brought" @click="keep">
      {{ keeping ? "Keeping…" : good.length ? `Keep as version ${collection.version + 1}` : "Nothing to keep" }}
    </button>
  </header>
  <div class="flex min-h-0 flex-1 flex-col">
    <div class="flex flex-col gap-2 border-b border-rule-soft px-6 py-3">
      <div class="flex flex-wrap items-center gap-3 border border-dashed border-edge p-3" :class="over ? 'bg-kelp-wash' : ''" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="drop">
        <label v-for="way in WAYS" :key="way.told" class="button cursor-pointer focus-within:outline-2 focus-within:outline-kelp">
          {{ way.told }}
          <input type="file" multiple :webkitdirectory="way.folder" class="sr-only" :aria-label="way.told" :data-test="way.test" :disabled="!!sending" @change="picked" />
        </label>
        <span class="min-w-0 flex-1 text-ink-2" role="status">{{ sending ? `Reading ${sending.done + 1} of ${sending.of}…` : "or drop them here: text, Markdown, HTML, PDF, CSV, a zip" }}</span>
      </div>
      <form class="flex items-start gap-3" @submit.prevent="takePasted">
        <textarea v-model="pasted" rows="1" class="field field-sizing-content max-h-24 min-w-0 flex-1" placeholder="or paste a text" aria-label="A text to bring in" data-test="pasted-document"></textarea>
        <button type="submit" class="button" :disabled="!pasted.trim() || !!sending" data-test="read-document">Read it</button>
      </form>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
    </div>
    <template v-if="files.length">
      <div class="flex flex-wrap items-center gap-x-4 gap-y-2 border-b border-rule-soft px-6 py-2">
        <CutFields v-model="cut" suits />
        <label class="flex items-center gap-2"><span>tags</span><input v-model="tags" class="field w-32" placeholder="for all" data-test="brought-tags" /></label>
        <label class="flex items-center gap-2"><span>of the day</span><input v-model="dated" type="date" class="field" /></label>
      </div>
      <div class="grid min-h-0 flex-1 grid-cols-[minmax(200px,2fr)_minmax(0,3fr)]">
        <ol class="min-h-0 overflow-auto border-r border-rule-soft" tabindex="0" aria-label="Files">
          <li v-for="file in files" :key="file.id" class="flex items-start gap-2 border-b border-rule-soft" :class="file.id === chosen?.id ? 'bg-kelp-wash' : ''" data-test="brought">
            <button type="button" class="min-w-0 flex-1 py-1.5 pl-6 text-left" @click="chosenId = file.id">
              <span class="block truncate font-medium" :title="file.file">{{ file.file }}</span>
              <span class="block text-sm" :class="file.problem ? 'text-rust' : file.outcome === 'same' ? 'text-ink-2' : 'text-kelp'">{{ file.outcome === "new" || file.outcome === "changed" ? `${file.outcome}: ` : "" }}{{ told(file) }}</span>
              <span v-for="note in file.told" :key="note" class="caption block">{{ note }}</span>
            </button>
            <button type="button" class="link px-2 py-1.5 text-sm" :aria-label="`Leave ${file.file} out`" @click="doing(changes.drop(file.id))">leave out</button>
          </li>
        </ol>
        <div class="min-h-0 overflow-auto py-3" tabindex="0" role="region" aria-label="How it is cut" data-test="slices">
          <p v-if="chosen?.problem" class="px-6 text-rust">{{ chosen.problem }}</p>
          <template v-else-if="looked.data.value">
            <div v-for="(slice, at) in looked.data.value.slices" :key="at" class="grid grid-cols-[34px_minmax(0,1fr)] gap-x-3 border-b border-rule-soft px-3 py-1.5" data-test="slice">
              <span class="pt-0.5 text-right font-mono text-xs text-ink-3">{{ at + 1 }}</span>
              <div>
                <p class="caption truncate">{{ slice.path.join(" › ") || slice.title || "\u00a0" }}<span v-if="slice.lead" class="text-straw"> · begins with {{ slice.lead }} characters of what stands before</span></p>
                <p class="line-clamp-6 font-serif whitespace-pre-wrap" :title="slice.text">{{ slice.text }}</p>
              </div>
            </div>
            <p v-if="looked.data.value.passages > looked.data.value.slices.length" class="caption px-6 py-2">and {{ count(looked.data.value.passages - looked.data.value.slices.length, "more passage") }}</p>
          </template>
          <p v-else class="px-6 text-ink-2" role="status">Cutting it…</p>
        </div>
      </div>
    </template>
    <p v-else-if="!brought.isPending.value" class="p-6 text-ink-2">A file that is here already becomes a new version of its document: what stays the same keeps its reference, and answers of before keep what they had.</p>
  </div>
</template>
