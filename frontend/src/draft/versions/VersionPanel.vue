<script setup lang="ts">
/** All versions, each with its score; any two compared; one brought back, or made a prompt of its own. */
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { faultOf } from "@/api/fault";
import { messageOf } from "@/api/client";
import { useScores, useSubjectChanges, useVersion, useVersions } from "@/api/subjects";
import type { Prompt, VersionPage } from "@/api/schema";
import { complain, say } from "@/frame/notices";
import { percent, when } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";
import CompareRows from "./CompareRows.vue";

const props = defineProps<{ open: boolean; name: string; draft: Prompt; base: number | null; edited: boolean }>();
const emit = defineEmits<{ close: []; bring: [version: VersionPage] }>();
const router = useRouter();
const changes = useSubjectChanges();
const EMPTY: Prompt = { messages: [] };
const versions = useVersions(computed(() => props.name));
const scores = useScores(computed(() => props.name), () => props.open);
const list = computed(() => versions.data.value ?? []);
/** What is looked at: a version, or null for the draft. */
const chosen = ref<number | null>(null);
const against = ref<number | null>(null);

watch(
  () => props.open,
  (open) => {
    if (!open) return;
    const newest = list.value[0]?.number ?? null;
    chosen.value = props.edited ? null : (props.base ?? newest);
    against.value = chosen.value === null ? (props.base ?? newest) : before(chosen.value);
  },
);
const before = (number: number) => list.value.find((each) => each.number < number)?.number ?? null;
const pick = (number: number | null) => {
  chosen.value = number;
  against.value = number === null ? (props.base ?? list.value[0]?.number ?? null) : before(number);
};
/** `[` older, `]` newer; the draft is the newest. */
function step(by: 1 | -1): void {
  const order = [null, ...list.value.map((each) => each.number)];
  const to = order[order.indexOf(chosen.value) - by];
  if (to !== undefined) pick(to);
}
function onKey(event: KeyboardEvent): void {
  if (event.target instanceof HTMLSelectElement || event.target instanceof HTMLInputElement) return;
  if (event.key === "[") step(-1);
  else if (event.key === "]") step(1);
}

const version = useVersion(computed(() => props.name), chosen);
const other = useVersion(computed(() => props.name), against);
const wrong = computed(() => faultOf(versions) ?? faultOf(version) ?? faultOf(other));
/** Both sides, once both are here. */
const sides = computed(() => {
  const after = chosen.value === null ? props.draft : version.data.value?.content;
  const oldest = chosen.value !== null && before(chosen.value) === null;
  const older = against.value !== null ? other.data.value?.content : oldest ? EMPTY : props.draft;
  return after && older ? { before: older, after } : null;
});
const scoreOf = (number: number) => scores.data.value?.scores.find((each) => each.version === number);
function betweenOf(number: number): string {
  const { low, high } = scoreOf(number) ?? {};
  return low == null || high == null ? "" : `${Math.round(100 * low)} to ${Math.round(100 * high)}`;
}
async function branch(number: number): Promise<void> {
  const stem = `${props.name.slice(0, 54)}-v${number}`;
  for (let attempt = 1; attempt < 20; attempt += 1) {
    try {
      const name = attempt === 1 ? stem : `${stem}-${attempt}`;
      const made = await changes.create({ name, about: `from ${props.name} v${number}`, copy_of: props.name, version: number });
      say(`${made.name} begins where v${number} stood.`);
      emit("close");
      await router.push({ name: "draft", params: { name: made.name } });
      return;
    } catch (wrong) {
      if (!messageOf(wrong).includes("already")) {
        complain(messageOf(wrong));
        return;
      }
    }
  }
}
</script>

<template>
  <SheetDialog :open="open" title="Versions" width="1080px" @close="emit('close')">
    <p v-if="wrong" class="text-rust">{{ messageOf(wrong) }}</p>
    <p v-else-if="versions.isPending.value" class="text-ink-3">Looking…</p>
    <p v-else-if="list.length === 0" class="text-ink-2">No version is saved yet. Ctrl+S saves the draft as v1.</p>
    <div v-else class="flex min-h-0 gap-4" @keydown="onKey">
      <ul class="max-h-[66vh] w-100 shrink-0 overflow-auto border-r border-rule-soft pr-2">
        <li v-for="each in [null, ...list]" :key="each?.number ?? 0">
          <button
            type="button"
            class="grid w-full grid-cols-[44px_1fr_auto] items-baseline gap-x-3 border-b border-rule-soft px-2 py-1.75 text-left"
            :class="(each?.number ?? null) === chosen ? 'bg-kelp-wash' : 'hover:bg-paper'"
            :data-test="each ? `version-${each.number}` : 'version-draft'"
            @click="pick(each?.number ?? null)"
          >
            <span class="font-mono font-medium text-kelp">{{ each ? `v${each.number}` : "draft" }}</span>
            <span class="min-w-0">
              <span class="block truncate">{{ each ? each.note || "no note" : edited ? `edited after v${base}` : `as v${base}` }}</span>
              <span v-if="each" class="caption block truncate"
                >{{ when(each.created_at) }}{{ each.saved_by ? `, ${each.saved_by}` : "" }} · <span :title="each.content_hash" class="font-mono">{{ each.content_hash.slice(0, 8) }}</span></span
              >
            </span>
            <span v-if="each && scoreOf(each.number)?.rate != null" class="text-right" :title="`${scoreOf(each.number)!.measure}, T${scoreOf(each.number)!.trial}, ${scoreOf(each.number)!.arm}`">
              <span class="block font-mono text-sm tabular-nums">{{ percent(scoreOf(each.number)!.rate!) }}</span>
              <span v-if="betweenOf(each.number)" class="caption block font-mono tabular-nums" title="95% interval">{{ betweenOf(each.number) }}</span>
              <span class="caption block">{{ scoreOf(each.number)!.measure }}</span>
            </span>
          </button>
        </li>
      </ul>
      <section class="flex max-h-[66vh] min-w-0 flex-1 flex-col">
        <div class="flex flex-wrap items-center gap-3 border-b border-rule pb-2">
          <span class="font-semibold">{{ chosen === null ? "The draft" : `v${chosen}` }}</span>
          <label class="flex items-center gap-2">
            against
            <select v-model="against" class="field h-7 px-1" aria-label="Compare with" data-test="compare-with">
              <option v-for="each in list" :key="each.number" :value="each.number">v{{ each.number }}</option>
              <option v-if="chosen !== null" :value="null">{{ before(chosen) === null ? "nothing" : "the draft" }}</option>
            </select>
          </label>
          <span class="flex-1"></span>
          <span class="caption"><span class="key">[</span> <span class="key">]</span> step through</span>
        </div>
        <div class="min-h-0 flex-1 overflow-auto pr-1">
          <CompareRows v-if="sides" v-bind="sides" />
        </div>
        <div v-if="chosen !== null" class="flex gap-2 border-t border-rule-soft pt-3">
          <button type="button" class="button button-main" :disabled="!version.data.value || (chosen === base && !edited)" data-test="restore" @click="version.data.value && emit('bring', version.data.value)">
            {{ chosen === base ? (edited ? "Undo the edits" : "This is the draft") : "Restore as draft" }}
          </button>
          <button type="button" class="button" data-test="branch" @click="branch(chosen)">Branch into a prompt of its own</button>
          <a class="button" :href="`/api/v1/subjects/${name}/file?version=${chosen}`" download>YAML file</a>
        </div>
      </section>
    </div>
  </SheetDialog>
</template>
