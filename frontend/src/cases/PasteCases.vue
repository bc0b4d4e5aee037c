<script setup lang="ts">
/** Many cases at once from a pasted list: a line a case, a tab before its label. */
import { computed, ref, watch } from "vue";

import { useCaseChanges } from "@/api/cases";
import { messageOf } from "@/api/client";
import type { CaseRevision } from "@/api/schema";
import { complain, say } from "@/frame/notices";
import { count } from "@/marks/format";
import SheetDialog from "@/parts/SheetDialog.vue";
import { listFrom } from "@/parts/values";
import { asCase, casesIn } from "./pasted";

const MOST = 2_000;
const SHOWN = 6;
const props = defineProps<{ open: boolean; name: string; inputs: string[]; labels: string[] }>();
const emit = defineEmits<{ close: [] }>();
const changes = useCaseChanges(() => props.name);
const pasted = ref("");
const input = ref("");
const tags = ref("");
const wrong = ref("");
const busy = ref(false);
const found = computed(() => casesIn(pasted.value));
const unknown = computed(() => [...new Set(found.value.flatMap(({ label }) => (label && props.labels.length && !props.labels.includes(label) ? [label] : [])))]);

watch(
  () => props.open,
  (open) => {
    if (open) input.value = props.inputs[0] ?? "message";
  },
);

async function setAway(cases: CaseRevision[], away: boolean): Promise<void> {
  try {
    await changes.setAllAway(cases, away);
  } catch (error) {
    complain(messageOf(error));
  }
}
async function keep(): Promise<void> {
  busy.value = true;
  wrong.value = "";
  try {
    const kept = await changes.keepAll(found.value.map((each) => asCase(each, input.value, listFrom(tags.value))));
    say(`${count(kept.length, "case")} kept, from ${kept[0]!.number} on.`, () => void setAway(kept, true));
    pasted.value = "";
    emit("close");
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <SheetDialog :open="open" title="Paste a list of cases" width="760px" @close="emit('close')">
    <form class="flex flex-col gap-3" @submit.prevent="keep">
      <label class="flex flex-col gap-1">
        <span>A line a case; a tab, then its label, if it has one <span class="caption">(as two columns of a table are pasted)</span></span>
        <textarea v-model="pasted" rows="8" class="field max-h-[34vh] w-full font-serif" data-test="pasted"></textarea>
      </label>
      <div class="flex gap-3">
        <label v-if="inputs.length > 1" class="flex flex-col gap-1"
          ><span>Fills the input</span>
          <select v-model="input" class="field font-mono"><option v-for="each in inputs" :key="each" :value="each">{{ each }}</option></select>
        </label>
        <label class="flex min-w-0 flex-1 flex-col gap-1"
          ><span>Tags for all of them <span class="caption">(commas between)</span></span><input v-model="tags" class="field" placeholder="e.g. first week" />
        </label>
      </div>
      <ol v-if="found.length" class="max-h-[24vh] overflow-auto border-t border-rule-soft" data-test="pasted-preview">
        <li v-for="each in found.slice(0, SHOWN)" :key="each.text" class="flex gap-3 border-b border-rule-soft py-0.75">
          <span class="min-w-0 flex-1 truncate font-serif">{{ each.text }}</span>
          <span class="font-mono text-sm" :class="each.label && unknown.includes(each.label) ? 'text-straw' : 'text-ink-2'">{{ each.label ?? "–" }}</span>
        </li>
        <li v-if="found.length > SHOWN" class="caption py-0.75">and {{ count(found.length - SHOWN, "more line") }}</li>
      </ol>
      <p v-if="unknown.length" class="text-sm text-straw">
        {{ unknown.slice(0, 5).join(", ") }}{{ unknown.length > 5 ? " and others" : "" }}: no label of the prompt’s reply. They are kept as they are.
      </p>
      <p v-if="found.length > MOST" class="text-sm text-rust">At most {{ MOST.toLocaleString("en") }} at once.</p>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button type="submit" class="button button-main" :disabled="busy || !found.length || found.length > MOST" data-test="keep-pasted">
          {{ found.length ? `Keep ${count(found.length, "case")}` : "Keep them" }}
        </button>
      </div>
    </form>
  </SheetDialog>
</template>
