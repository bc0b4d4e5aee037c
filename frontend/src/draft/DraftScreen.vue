<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/vue";
import { computed, ref } from "vue";
import { useRoute } from "vue-router";

import { useVersions } from "@/api/queries";
import type { VersionPage } from "@/api/schema";
import { useKeys } from "@/frame/keys";
import { say } from "@/frame/notices";
import PromptSheet from "./PromptSheet.vue";
import ReplySection from "./ReplySection.vue";
import SaveVersion from "./SaveVersion.vue";
import SettingsSection from "./SettingsSection.vue";
import StaleDraft from "./StaleDraft.vue";
import TryOut from "./TryOut.vue";
import { useDraft } from "./useDraft";
import VersionList from "./VersionList.vue";

const name = String(useRoute().params.name);
const draft = useDraft(name);
const { content, facts, status, keptAs, error, theirs } = draft;
const versions = useVersions(computed(() => name));
const listing = ref(false);
const naming = ref(false);
const saving = ref(false);

const nextNumber = computed(() => (versions.data.value?.versions[0]?.number ?? 0) + 1);
const title = computed(() => {
  if (facts.baseVersion === null) return "Draft, no version yet";
  return facts.edited || status.value === "TYPING" ? `Draft after v${facts.baseVersion}` : `Draft, same as v${facts.baseVersion}`;
});
const savable = computed(() => facts.edited || facts.baseVersion === null || status.value === "TYPING");
const blocked = computed(() => {
  const problem = facts.problems[0];
  if (status.value === "REFUSED") return error.value;
  return problem ? (problem.part ? `“${problem.part}” has to be put right first` : problem.message) : "";
});
const settingsInWords = computed(() => {
  const settings = content.value?.settings ?? {};
  const told = [];
  if (settings.temperature != null) told.push(`temperature ${settings.temperature}`);
  if (settings.top_p != null) told.push(`top p ${settings.top_p}`);
  if (settings.frequency_penalty != null) told.push(`frequency penalty ${settings.frequency_penalty}`);
  if (settings.presence_penalty != null) told.push(`presence penalty ${settings.presence_penalty}`);
  if (settings.max_tokens != null) told.push(`at most ${settings.max_tokens} tokens`);
  return told.join(", ") || "the server's own";
});
const replyInWords = computed(() => {
  const reply = content.value?.reply;
  const labels = reply?.labels?.length ?? 0;
  if (reply?.kind === "json") return `JSON${reply.json_schema ? " with a schema" : ""}${labels ? `, ${labels} labels` : ""}`;
  return reply?.kind === "label" ? `one of ${labels} labels` : "text";
});

async function save(note: string): Promise<void> {
  saving.value = true;
  const saved = await draft.saveVersion(note);
  saving.value = false;
  if (!saved) return;
  naming.value = false;
  say(saved.isNew ? `Saved as v${saved.number}.` : `Nothing differs from v${saved.number}, so no version was made.`);
}

function bring(version: VersionPage): void {
  const before = content.value;
  content.value = JSON.parse(JSON.stringify(version.content));
  listing.value = false;
  say(`The draft now reads as v${version.number}.`, () => {
    content.value = before;
  });
}

useKeys([
  { keys: { "ctrl+s": () => (naming.value = true) }, shown: ["Ctrl S"], label: "save version" },
  { keys: { v: () => (listing.value = true) }, shown: ["V"], label: "versions" },
]);
</script>

<template>
  <main class="flex min-h-0 flex-1 gap-3 px-[18px] py-3">
    <section class="panel flex w-[42%] min-w-[420px] flex-col">
      <header class="flex items-center gap-3 border-b border-rule px-4 py-[10px]">
        <span class="min-w-0 flex-1">
          <span class="block truncate font-semibold" data-test="draft-title">{{ title }}</span>
          <span class="caption block truncate" :class="{ 'text-straw': status === 'AWAY' || status === 'STALE' }" data-test="kept">{{
            keptAs || "\u00a0"
          }}</span>
        </span>
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
      <StaleDraft v-if="theirs && content" :yours="content" :theirs="theirs.content" @settle="draft.settle" />
      <div class="min-h-0 flex-1 overflow-auto">
        <div v-if="!content" class="flex flex-col gap-4 p-5">
          <template v-if="error">
            <p class="text-rust" role="alert">{{ error }}</p>
            <button type="button" class="button self-start" @click="draft.reload">Try again</button>
          </template>
          <div v-for="n in error ? 0 : 3" :key="n" class="h-14 bg-paper" aria-label="Loading"></div>
        </div>
        <PromptSheet v-else v-model="content" :problems="facts.problems" />
      </div>
      <div v-if="content" class="shrink-0 border-t border-rule">
        <p class="flex flex-wrap items-center gap-x-2 gap-y-1 px-4 py-2" data-test="inputs">
          <span class="font-medium">Inputs</span>
          <code v-for="input in facts.inputs" :key="input" class="chip">{{ input }}</code>
          <span v-if="facts.inputs.length === 0" class="caption">none found in the text</span>
        </p>
        <Disclosure v-slot="{ open }" as="div" class="border-t border-rule-soft">
          <DisclosureButton class="flex w-full items-baseline gap-2 px-4 py-2 text-left" data-test="open-reply">
            <span class="font-medium">Reply</span><span class="caption min-w-0 flex-1 truncate">{{ replyInWords }}</span>
            <span class="caption">{{ open ? "fold" : "open" }}</span>
          </DisclosureButton>
          <DisclosurePanel class="max-h-[300px] overflow-auto px-4 pb-3">
            <ReplySection v-model="content.reply!" :problems="facts.problems" />
          </DisclosurePanel>
        </Disclosure>
        <Disclosure v-slot="{ open }" as="div" class="border-t border-rule-soft">
          <DisclosureButton class="flex w-full items-baseline gap-2 px-4 py-2 text-left">
            <span class="font-medium">Settings</span><span class="caption min-w-0 flex-1 truncate">{{ settingsInWords }}</span>
            <span class="caption">{{ open ? "fold" : "open" }}</span>
          </DisclosureButton>
          <DisclosurePanel class="max-h-[300px] overflow-auto px-4 pb-3">
            <SettingsSection v-model="content.settings!" />
          </DisclosurePanel>
        </Disclosure>
      </div>
    </section>
    <TryOut v-if="content" :name="name" :prompt="content" :input-names="facts.inputs" :blocked="blocked" />
    <div v-else class="panel flex-1"></div>
  </main>
  <VersionList :open="listing" :name="name" :base="facts.baseVersion" :edited="facts.edited" @close="listing = false" @bring="bring" />
  <SaveVersion :open="naming" :next="nextNumber" :busy="saving" @close="naming = false" @save="save" />
</template>
