<script setup lang="ts">
/** Take in prompts from YAML files or a zip: first what each would do is shown, then it is done. */
import { computed, ref, watch } from "vue";

import { useSubjectChanges } from "@/api/subjects";
import { messageOf } from "@/api/client";
import type { FileResult, FilesIn } from "@/api/schema";
import { say } from "@/frame/notices";
import { count } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const changes = useSubjectChanges();
const body = ref<FilesIn | null>(null);
const results = ref<FileResult[]>([]);
const replace = ref(false);
const wrong = ref("");
const TOLD: Record<FileResult["outcome"], string> = {
  new: "new",
  same: "the same as here",
  changed: "replaces the draft here",
  differs: "another draft is here; left as it is",
  refused: "can't be read",
};
const COLOURS: Record<FileResult["outcome"], string> = {
  new: "text-kelp",
  same: "text-ink-3",
  changed: "text-straw",
  differs: "text-straw",
  refused: "text-rust",
};
const todo = computed(() => results.value.filter(({ outcome }) => outcome === "new" || outcome === "changed").length);
const clashes = computed(() => results.value.some(({ outcome }) => outcome === "differs" || outcome === "changed"));

watch(
  () => props.open,
  () => {
    body.value = null;
    results.value = [];
    chosenNames.value = "";
    replace.value = false;
    wrong.value = "";
  },
);
watch(replace, () => void send(false));

/** Files are being dragged over the place for them. */
const over = ref(false);
const chosenNames = ref("");
const take = (event: Event) => takeFiles([...((event.target as HTMLInputElement).files ?? [])]);
function drop(event: DragEvent): void {
  over.value = false;
  void takeFiles([...(event.dataTransfer?.files ?? [])]);
}
async function takeFiles(chosen: File[]): Promise<void> {
  wrong.value = "";
  chosenNames.value = chosen.length > 3 ? `${chosen.length} files` : chosen.map((file) => file.name).join(", ");
  const texts = chosen.filter((file) => !file.name.endsWith(".zip"));
  const zip = chosen.find((file) => file.name.endsWith(".zip"));
  body.value = {
    files: await Promise.all(texts.map(async (file) => ({ path: file.name, text: await file.text() }))),
    zip: zip ? btoa(Array.from(new Uint8Array(await zip.arrayBuffer()), (byte) => String.fromCharCode(byte)).join("")) : null,
  };
  await send(false);
}

async function send(apply: boolean): Promise<void> {
  if (!body.value) return;
  try {
    results.value = await changes.takeFiles({ ...body.value, replace: replace.value, apply });
    if (!apply) return;
    say(`${count(todo.value, "prompt")} taken in.`);
    emit("close");
  } catch (error) {
    wrong.value = messageOf(error);
  }
}
</script>

<template>
  <SheetDialog :open="open" title="Take in files" width="640px" @close="emit('close')">
    <div class="flex flex-col gap-3">
      <p class="text-ink-2">Prompts as YAML files, or a zip of them, as they are exported here.</p>
      <label
        class="flex items-center gap-3 border border-dashed border-edge p-4 focus-within:outline-2 focus-within:outline-kelp"
        :class="over ? 'bg-kelp-wash' : ''"
        @dragover.prevent="over = true"
        @dragleave="over = false"
        @drop.prevent="drop"
      >
        <span class="button">Choose files</span>
        <span class="min-w-0 flex-1 truncate text-ink-2">{{ chosenNames || "or drop them here" }}</span>
        <input type="file" multiple accept=".yaml,.yml,.zip" class="sr-only" aria-label="Files" data-test="import-files" @change="take" />
      </label>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <ul v-if="results.length" class="max-h-[44vh] overflow-auto border-y border-rule-soft">
        <li v-for="result in results" :key="result.path" class="border-b border-rule-soft py-line last:border-b-0" data-test="import-line">
          <span class="flex gap-3"
            ><span class="min-w-0 flex-1 truncate font-mono text-sm">{{ result.name ?? result.path }}</span
            ><span class="text-sm" :class="COLOURS[result.outcome]">{{ TOLD[result.outcome] }}</span></span
          >
          <span v-if="result.message" class="block text-sm text-rust">{{ result.message }}</span>
        </li>
      </ul>
      <label v-if="clashes" class="flex items-center gap-2">
        <input v-model="replace" type="checkbox" class="accent-kelp" data-test="import-replace" /> Let the files replace the drafts that differ. Versions stay.
      </label>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button type="button" class="button button-main" :disabled="todo === 0" data-test="import-go" @click="send(true)">
          {{ todo ? `Take in ${count(todo, "prompt")}` : "Nothing to take in" }}
        </button>
      </div>
    </div>
  </SheetDialog>
</template>
