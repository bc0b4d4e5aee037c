<script setup lang="ts">
/** Where a file of cases comes from: chosen, dropped, or pasted; and what came in lately. */
import { computed, ref } from "vue";

import { messageOf } from "@/api/client";
import { useImports } from "@/api/imports";
import type { ImportState } from "@/api/schema";
import { count, when } from "@/marks/format";
import { gathered, type Gathered } from "./gathered";
import { useTakeBack } from "./useTakeBack";

const props = defineProps<{ name: string; busy: boolean }>();
const emit = defineEmits<{ file: [file: Gathered]; go: [state: ImportState] }>();
const takeBack = useTakeBack(() => props.name);
const lately = useImports(computed(() => props.name), () => true);
const pasted = ref("");
const wrong = ref("");
const over = ref(false);

const WAYS = [
  { told: "Choose files", label: "Files of cases", test: "case-file", folder: false },
  { told: "Choose a folder", label: "A folder of cases", test: "case-folder", folder: true },
];

async function take(files: File[]): Promise<void> {
  if (!files.length) return;
  wrong.value = "";
  try {
    emit("file", await gathered(files));
  } catch (error) {
    wrong.value = messageOf(error);
  }
}
const chosen = (event: Event) => void take([...((event.target as HTMLInputElement).files ?? [])]);
function drop(event: DragEvent): void {
  over.value = false;
  void take([...(event.dataTransfer?.files ?? [])]);
}
const takePasted = () => emit("file", { name: "pasted", content: new Blob([pasted.value]) });

const TOLD: Record<ImportState["status"], string> = { open: "", keeping: "broken off", kept: "kept", undone: "taken back" };
</script>

<template>
  <div class="flex flex-col gap-4">
    <div
      class="flex flex-wrap items-center gap-3 border border-dashed border-edge p-4"
      :class="over ? 'bg-kelp-wash' : ''"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="drop"
    >
      <label v-for="way in WAYS" :key="way.told" class="button cursor-pointer focus-within:outline-2 focus-within:outline-kelp">
        {{ way.told }}
        <input type="file" multiple :webkitdirectory="way.folder" class="sr-only" :aria-label="way.label" :data-test="way.test" :disabled="busy" @change="chosen" />
      </label>
      <span class="min-w-0 flex-1 text-ink-2">
        {{ busy ? "Reading it…" : "or drop them here: CSV, TSV, JSON, JSON lines, YAML, a zip with images, texts or images" }}
      </span>
    </div>
    <form class="flex flex-col gap-1" @submit.prevent="takePasted">
      <label class="flex flex-col gap-1">
        <span>Or paste: a table with or without a header, or a line a case</span>
        <textarea v-model="pasted" rows="7" class="field max-h-[30vh] w-full font-serif" data-test="pasted"></textarea>
      </label>
      <button type="submit" class="button self-end" :class="pasted.trim() ? 'button-main' : ''" :disabled="busy || !pasted.trim()" data-test="read-pasted">Read it</button>
    </form>
    <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
    <section v-if="lately.data.value?.imports.length" aria-label="Came in lately">
      <h3 class="caption border-b border-rule-soft pb-1">Came in lately</h3>
      <ul class="max-h-[20vh] overflow-auto">
        <li v-for="each in lately.data.value.imports" :key="each.id" class="flex items-baseline gap-3 border-b border-rule-soft py-1" data-test="came-in">
          <span class="min-w-0 flex-1 truncate">{{ each.file }}</span>
          <span class="caption">{{ count(each.done, "case") }}{{ each.status === "keeping" ? ` of ${each.total}` : "" }}, {{ TOLD[each.status] }} · {{ when(each.created_at) }}{{ each.begun_by ? ` by ${each.begun_by}` : "" }}</span>
          <button v-if="each.status === 'keeping'" type="button" class="link text-sm" @click="emit('go', each)">go on</button>
          <button v-if="each.status !== 'undone'" type="button" class="link text-sm" data-test="undo-import" @click="takeBack(each.id)">take back</button>
        </li>
      </ul>
    </section>
  </div>
</template>
