<script setup lang="ts">
/** All fragments: their versions, who includes them; one put into the sheet, changed, or begun. */
import { computed, ref, watch } from "vue";

import { messageOf } from "@/api/client";
import { useFragment, useFragmentChanges, useFragments, useFragmentText } from "@/api/fragments";
import { say } from "@/frame/notices";
import { when } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";
import TextEditor from "@/parts/TextEditor.vue";
import { includeOf } from "./fragments";

/** `begin` is the text of a part that is to be kept as a fragment. */
const props = defineProps<{ open: boolean; begin: { name: string; text: string } | null }>();
const emit = defineEmits<{ close: []; insert: [text: string]; kept: [include: string] }>();
const changes = useFragmentChanges();
const fragments = useFragments();
const list = computed(() => fragments.data.value?.fragments ?? []);
const chosen = ref<string | null>(null);
const page = useFragment(chosen);
const fragment = computed(() => (page.data.value?.name === chosen.value ? page.data.value : undefined));
const number = ref(0);
const version = computed(() => fragment.value?.versions.find((each) => each.number === number.value));
const text = useFragmentText(chosen, number);
/** The text of the version that is shown, once it is here. */
const kept = computed(() => (text.data.value?.number === number.value ? text.data.value.text : undefined));
const making = ref(false);
const form = ref({ name: "", about: "", text: "", note: "" });
const wrong = ref("");

watch(
  () => props.open,
  (open) => {
    if (!open) return;
    making.value = props.begin !== null || list.value.length === 0;
    const name = (props.begin?.name ?? "").toLowerCase().replace(/[^a-z0-9]+/g, "-").replace(/^-+|-+$/g, "");
    form.value = { name, about: "", text: props.begin?.text ?? "", note: "" };
    wrong.value = "";
    if (!making.value) choose(list.value[0]?.name ?? null);
  },
);
watch(list, (all) => {
  if (!all.some((each) => each.name === chosen.value) && all[0]) choose(all[0].name);
});

function choose(name: string | null): void {
  chosen.value = name;
  number.value = list.value.find((each) => each.name === name)?.newest ?? 0;
  form.value = { ...form.value, text: kept.value ?? "", note: "" };
}

async function create(): Promise<void> {
  wrong.value = "";
  try {
    const { name, about, text } = form.value;
    const made = await changes.create({ name, about, text });
    say(`${made.name} is kept, as version 1.`);
    making.value = false;
    choose(made.name);
    if (props.begin) {
      emit("kept", includeOf({ name: made.name, version: 1 }));
      emit("close");
    }
  } catch (error) {
    wrong.value = messageOf(error);
  }
}

async function saveVersion(): Promise<void> {
  wrong.value = "";
  try {
    const saved = await changes.saveVersion(chosen.value!, { text: form.value.text, note: form.value.note });
    number.value = saved.versions[0]!.number;
    say(`${saved.name} has a version ${number.value}. Prompts stay with the one they have until you move them up.`);
  } catch (error) {
    wrong.value = messageOf(error);
  }
}
const changed = computed(() => kept.value !== undefined && form.value.text !== kept.value);
watch(kept, (now) => {
  if (now !== undefined && !making.value) form.value.text = now;
});
</script>

<template>
  <SheetDialog :open="open" title="Fragments" width="900px" @close="emit('close')">
    <form v-if="making" class="flex flex-col gap-3" @submit.prevent="create">
      <p class="text-ink-2">A fragment is kept once and included in several prompts. Each prompt stays with the version it has.</p>
      <div class="flex gap-3">
        <label class="flex flex-1 flex-col gap-1"><span>Name</span><input v-model="form.name" class="field font-mono" placeholder="e.g. house-tone" data-test="fragment-name" /></label>
        <label class="flex flex-[2] flex-col gap-1"><span>What it is for</span><input v-model="form.about" class="field" maxlength="200" placeholder="e.g. how we sound" /></label>
      </div>
      <div class="field h-auto max-h-75 min-h-22.5 overflow-auto py-1" data-test="fragment-text"><TextEditor v-model="form.text" label="Text of the fragment" /></div>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <div class="flex justify-end gap-2">
        <button v-if="list.length && !begin" type="button" class="button" @click="making = false">Back</button>
        <button type="submit" class="button button-main" :disabled="!form.name || !form.text.trim()" data-test="fragment-create">
          {{ begin ? "Keep it, and include it in the part" : "Keep it" }}
        </button>
      </div>
    </form>
    <div v-else class="flex min-h-0 gap-4">
      <ul class="max-h-[60vh] w-62.5 shrink-0 overflow-auto border-r border-rule-soft pr-2">
        <li v-for="each in list" :key="each.name">
          <button type="button" class="w-full border-b border-rule-soft px-2 py-line text-left" :class="each.name === chosen ? 'bg-kelp-wash' : 'hover:bg-paper'" @click="choose(each.name)">
            <span class="block truncate font-mono text-sm">{{ each.name }}@{{ each.newest }}</span>
            <span class="caption block truncate">{{ each.about || "no note" }}</span>
          </button>
        </li>
        <li class="pt-2"><button type="button" class="link text-sm" data-test="new-fragment" @click="(making = true), (form = { name: '', about: '', text: '', note: '' })">A new fragment</button></li>
      </ul>
      <section v-if="fragment" class="flex min-w-0 flex-1 flex-col gap-2">
        <div class="flex items-center gap-3">
          <select v-model.number="number" class="field h-7 px-1" aria-label="Version of the fragment">
            <option v-for="each in fragment.versions" :key="each.number" :value="each.number">version {{ each.number }}{{ each.note ? ` · ${each.note}` : "" }}</option>
          </select>
          <span v-if="version" class="caption">{{ when(version.created_at) }}{{ version.saved_by ? `, ${version.saved_by}` : "" }}</span>
          <span class="flex-1"></span>
          <button type="button" class="button button-main" :disabled="changed" data-test="fragment-insert" @click="emit('insert', includeOf({ name: fragment.name, version: number })), emit('close')">Include where the cursor was</button>
        </div>
        <div class="field h-auto max-h-65 min-h-22.5 overflow-auto py-1" data-test="fragment-text"><TextEditor v-if="kept !== undefined" :key="`${fragment.name}@${number}`" v-model="form.text" label="Text of the fragment" /></div>
        <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
        <div v-if="changed" class="flex gap-2">
          <input v-model="form.note" class="field min-w-0 flex-1" placeholder="what changed" aria-label="What changed" />
          <button type="button" class="button" data-test="fragment-save" @click="saveVersion">Save as version {{ (fragment.versions[0]?.number ?? 0) + 1 }}</button>
        </div>
        <p class="font-medium">Used by</p>
        <ul class="max-h-30 overflow-auto">
          <li v-for="use in fragment.used_by" :key="`${use.subject}.${use.where}.${use.version}`" class="flex gap-2 text-sm">
            <RouterLink class="link" :to="{ name: 'draft', params: { name: use.subject } }" @click="emit('close')">{{ use.subject }}</RouterLink>
            <span class="text-ink-3">{{ use.where }}, version {{ use.version }}</span>
          </li>
          <li v-if="fragment.used_by.length === 0" class="text-ink-3">nothing yet</li>
        </ul>
      </section>
    </div>
  </SheetDialog>
</template>
