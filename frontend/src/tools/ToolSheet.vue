<script setup lang="ts">
/** A kept tool: what the model sees, what it does, what it answers where nothing is reached; saved as versions. */
import { computed, ref, watch } from "vue";

import { messageOf } from "@/api/client";
import type { KeptToolPage, Tool } from "@/api/schema";
import { fetchToolVersion, useToolChanges } from "@/api/tools";
import SchemaEditor from "@/draft/reply/SchemaEditor.vue";
import ToolAnswers from "@/draft/tools/ToolAnswers.vue";
import { useKeys } from "@/frame/keys";
import { complain, say } from "@/frame/notices";
import { when } from "@/marks/format";
import TypedField from "@/parts/TypedField.vue";
import { copied } from "@/parts/values";
import { goesOut } from "./kinds";
import WorkFields from "./WorkFields.vue";

const props = defineProps<{
  page: KeptToolPage;
  /** The version that is typed in. */
  after: number;
}>();
const emit = defineEmits<{
  saved: [number: number, content: Tool];
  /** What is typed is to come after that version. */
  goOn: [number: number];
}>();
/** As it is typed: what is called by hand, too. */
const typed = defineModel<Tool>({ required: true });
const changes = useToolChanges();
const wrong = ref("");
const busy = ref(false);
const newest = computed(() => props.page.versions[0]!);
const plain = (tool: Tool) => JSON.stringify({ ...tool, kept: "" });
const changed = computed(() => plain(typed.value) !== plain(props.page.content));
watch(() => newest.value.number, () => (wrong.value = ""));
const put = (change: Partial<Tool>) => (typed.value = { ...typed.value, ...change });

async function save(): Promise<void> {
  if (!changed.value || busy.value) return;
  busy.value = true;
  wrong.value = "";
  try {
    const saved = await changes.save(props.page.name, { content: { ...typed.value, kept: "" }, note: "", after: props.after });
    emit("saved", saved.versions[0]!.number, saved.content);
    say(`Version ${saved.versions[0]!.number} of ${saved.name} is saved. Prompts stay with the one they have until they take it.`);
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
async function takeUp(number: number): Promise<void> {
  try {
    const was = copied(typed.value);
    typed.value = copied((await fetchToolVersion(props.page.name, number)).content);
    say(`This is version ${number} again; save it to make it the newest.`, () => (typed.value = was));
  } catch (error) {
    complain(messageOf(error));
  }
}
useKeys([{ keys: { "ctrl+s": () => void save() }, shown: ["Ctrl S"], label: "save a version" }]);
</script>

<template>
  <header class="flex items-center gap-3 border-b border-rule px-gut py-head">
    <h1 class="min-w-0 flex-1 truncate"><b class="font-mono font-semibold" data-test="tool-title">{{ page.name }}</b> <span class="caption">v{{ newest.number }}, {{ when(newest.created_at) }}{{ newest.saved_by ? ` by ${newest.saved_by}` : "" }}</span></h1>
    <button v-if="changed" type="button" class="link text-sm" @click="typed = copied(page.content)">Leave as it was</button>
    <button type="button" class="button button-main" :disabled="!changed || busy" data-test="save-tool" @click="save">{{ busy ? "Saving…" : `Save as v${newest.number + 1}` }}</button>
  </header>
  <div class="flex min-h-0 flex-1 flex-col gap-3 overflow-auto p-gut" tabindex="0" role="group" aria-label="The tool">
    <p v-if="after < newest.number" class="text-straw" role="status" data-test="newer-there">
      Version {{ newest.number }} was saved meanwhile. What you typed is still here.
      <button type="button" class="link" @click="emit('saved', newest.number, page.content)">Take that version</button> or
      <button type="button" class="link" @click="emit('goOn', newest.number)">put yours after it</button>.
    </p>
    <p v-if="wrong" class="text-rust" role="alert" data-test="tool-problem">{{ wrong }}</p>
    <section class="flex flex-col gap-2">
      <h2 class="caption">What the model sees</h2>
      <div class="flex items-start gap-2">
        <TypedField class="field h-7 w-40 font-mono text-sm" maxlength="64" :model-value="typed.name" aria-label="Name for the model" data-test="tool-name" @update:model-value="put({ name: $event.trim() })" />
        <TypedField lines class="field field-sizing-content min-h-7 min-w-0 flex-1 resize-none text-sm" :model-value="typed.description ?? ''" placeholder="what it does, and when to use it" aria-label="Description" @update:model-value="put({ description: $event })" />
      </div>
      <SchemaEditor :model-value="typed.parameters" label="What it is called with" what="parameter" @update:model-value="put({ parameters: $event as Tool['parameters'] })" />
    </section>
    <section class="flex flex-col gap-2 border-t border-rule-soft pt-3">
      <h2 class="caption">What it does</h2>
      <WorkFields :model-value="typed" @update:model-value="typed = $event" />
    </section>
    <section v-if="!typed.does || goesOut(typed)" class="border-t border-rule-soft pt-3">
      <ToolAnswers :model-value="typed" @update:model-value="typed = $event" />
    </section>
    <section class="border-t border-rule-soft pt-3">
      <h2 class="caption">Who uses it</h2>
      <ul v-if="page.used_by.length" data-test="used-by">
        <li v-for="use in page.used_by" :key="`${use.subject} ${use.where} ${use.version}`" class="text-sm">
          <RouterLink :to="`/subjects/${use.subject}/draft`" class="link">{{ use.subject }}</RouterLink>, its {{ use.where === "draft" ? "draft" : `version ${use.where.slice(1)}` }}, with version {{ use.version }}<span v-if="use.version < newest.number" class="text-straw"> (v{{ newest.number }} is there)</span>
        </li>
      </ul>
      <p v-else class="text-sm text-ink-2">No prompt yet. Take it in a draft, under Tools.</p>
    </section>
    <details v-if="page.versions.length > 1" class="border-t border-rule-soft pt-2">
      <summary class="caption cursor-pointer">{{ page.versions.length }} versions</summary>
      <ol>
        <li v-for="each in page.versions" :key="each.number" class="flex gap-3 py-0.5 text-sm">
          <span class="font-mono">v{{ each.number }}</span><span class="flex-1 text-ink-2">{{ when(each.created_at) }}{{ each.saved_by ? ` by ${each.saved_by}` : "" }}</span>
          <button type="button" class="link" @click="takeUp(each.number)">take up</button>
        </li>
      </ol>
    </details>
  </div>
</template>
