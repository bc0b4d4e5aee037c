<script setup lang="ts">
/** Brings cases in from a file or a pasted table: chosen, looked at, put right, and only then kept. */
import { useIntervalFn } from "@vueuse/core";
import { computed, ref, watch } from "vue";

import { messageOf } from "@/api/client";
import { useImportChanges } from "@/api/imports";
import type { ColumnShape, HowToRead, ImportLook, ImportState, Reading } from "@/api/schema";
import { say } from "@/frame/notices";
import { count } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";
import { listFrom } from "@/parts/values";
import ChooseFile from "./ChooseFile.vue";
import type { Gathered } from "./gathered";
import LookAt from "./LookAt.vue";
import { useTakeBack } from "./useTakeBack";

const PROGRESS_MS = 400;
const props = defineProps<{ open: boolean; name: string }>();
const emit = defineEmits<{ close: [] }>();
const changes = useImportChanges(() => props.name);
const takeBack = useTakeBack(() => props.name);

const look = ref<ImportLook | null>(null);
const reading = ref<Reading>({});
const tags = ref("");
const wrong = ref("");
const busy = ref(false);
/** While it is being kept: how far it has come. */
const keeping = ref<ImportState | null>(null);
const todo = computed(() => (look.value ? look.value.new + look.value.changed : 0));

watch(
  () => props.open,
  () => {
    if (keeping.value) return;
    [look.value, reading.value, tags.value, wrong.value] = [null, {}, "", ""];
  },
);

async function during(what: () => Promise<void>): Promise<void> {
  busy.value = true;
  wrong.value = "";
  try {
    await what();
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}

const begin = (file: Gathered) =>
  during(async () => {
    const { id } = await changes.begin(file.name, file.content);
    look.value = await changes.look(id);
  });

/** Said of it what was not found right; what can't be is told, and it stays as it was. */
const read = (more: Reading) =>
  during(async () => {
    const wanted = { ...reading.value, ...more };
    look.value = await changes.read(look.value!.state.id, wanted);
    reading.value = wanted;
  });
// Another way of reading has other columns: they are guessed anew.
const readSo = (how: Partial<HowToRead>) => read({ how: { ...reading.value.how, ...how }, columns: null });
const mean = (columns: ColumnShape[]) => read({ columns: columns.map(({ name, means, input }) => ({ name, means, input })) });
const tagAll = () => read({ tags: listFrom(tags.value) });

const progress = useIntervalFn(
  () => {
    const id = keeping.value?.id;
    if (id) void changes.state(id).then((state) => keeping.value?.id === id && (keeping.value = state), () => undefined);
  },
  PROGRESS_MS,
  { immediate: false },
);

async function keep(state: ImportState): Promise<void> {
  keeping.value = { ...state, total: state.total || todo.value };
  progress.resume();
  await during(async () => {
    const kept = await changes.keep(state.id);
    say(`${count(kept.done, "case")} kept from ${kept.file}.`, () => void takeBack(kept.id));
    look.value = null;
    emit("close");
  });
  progress.pause();
  keeping.value = null;
}
</script>

<template>
  <SheetDialog :open="open" title="Bring in cases" width="1040px" @close="emit('close')">
    <ChooseFile v-if="!look" :name="name" :busy="busy" @file="begin" @go="keep" />
    <LookAt v-else :look="look" :busy="busy" @how="readSo" @columns="mean" />
    <p v-if="wrong" class="mt-2 text-rust" role="alert" data-test="import-wrong">{{ wrong }}</p>
    <div v-if="keeping" class="mt-3" data-test="import-progress">
      <progress class="h-2 w-full accent-kelp" :value="keeping.done" :max="keeping.total || 1" aria-label="Cases kept"></progress>
      <span class="caption" role="status">{{ keeping.done.toLocaleString("en") }} of {{ count(keeping.total, "case") }}. This goes on when the window is closed.</span>
    </div>
    <form v-else-if="look" class="mt-3 flex items-end gap-3" @submit.prevent="keep(look.state)">
      <label class="flex min-w-0 flex-1 flex-col gap-1">
        <span>Tags for all that are new <span class="caption">(commas between)</span></span>
        <input v-model="tags" class="field" placeholder="e.g. first week" data-test="import-tags" @change="tagAll" />
      </label>
      <button type="button" class="button" @click="look = null">Another file</button>
      <button type="submit" class="button button-main" :disabled="busy || !todo" data-test="keep-import">
        {{ todo ? `Keep ${count(todo, "case")}` : "Nothing new in it" }}{{ todo && look.bad_rows ? `, leave out ${count(look.bad_rows, "row")}` : "" }}
      </button>
    </form>
  </SheetDialog>
</template>
