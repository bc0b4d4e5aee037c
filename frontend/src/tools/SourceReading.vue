<script setup lang="ts">
/** A source: its tables, and a statement tried on it. */
import { computed, ref, watch } from "vue";

import { messageOf } from "@/api/client";
import type { RowsShape } from "@/api/schema";
import { querySource, useSource } from "@/api/tools";
import { faultOf } from "@/api/fault";
import { bytes, when } from "@/marks/format";

const props = defineProps<{ name: string }>();
defineEmits<{ change: []; remove: [] }>();
const source = useSource(computed(() => props.name));
const statement = ref("");
const rows = ref<RowsShape | null>(null);
const wrong = ref("");
const busy = ref(false);
watch(() => props.name, () => {
  rows.value = null;
  wrong.value = "";
});

async function run(): Promise<void> {
  if (busy.value || !statement.value.trim()) return;
  busy.value = true;
  wrong.value = "";
  try {
    rows.value = await querySource(props.name, statement.value);
  } catch (error) {
    rows.value = null;
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <header class="flex items-center gap-3 border-b border-rule px-gut py-head">
    <h1 class="min-w-0 flex-1 truncate"><b class="font-mono font-semibold" data-test="source-title">{{ name }}</b> <span v-if="source.data.value" class="caption">{{ source.data.value.source.about }}</span></h1>
    <button type="button" class="link text-sm" data-test="change-source" @click="$emit('change')">Change</button>
    <button type="button" class="link text-sm" data-test="remove-source" @click="$emit('remove')">Remove</button>
  </header>
  <p v-if="faultOf(source)" class="p-gut text-rust" role="alert">{{ messageOf(faultOf(source)) }}</p>
  <div v-else-if="source.data.value" class="flex min-h-0 flex-1 flex-col gap-3 overflow-auto p-gut" tabindex="0" role="group" aria-label="The source">
    <p class="text-sm text-ink-2">
      <template v-if="source.data.value.source.kind === 'sqlite'">An attached SQLite file, {{ source.data.value.source.file || "unnamed" }}, {{ bytes(source.data.value.source.size) }}.</template>
      <template v-else>A MariaDB database at <span class="font-mono">{{ source.data.value.source.place }}</span>.</template>
      Put here {{ when(source.data.value.source.changed_at) }}{{ source.data.value.source.changed_by ? ` by ${source.data.value.source.changed_by}` : "" }}. It is only ever read.
    </p>
    <p v-if="source.data.value.fault" class="text-rust" role="alert">{{ source.data.value.fault }}</p>
    <section v-else>
      <h2 class="caption">Its tables, as a model is shown them</h2>
      <pre class="max-h-60 overflow-auto bg-paper p-2 font-mono text-sm break-words whitespace-pre-wrap" tabindex="0" role="group" aria-label="Tables" data-test="tables">{{ source.data.value.tables }}</pre>
    </section>
    <form class="flex flex-col gap-2" @submit.prevent="run" @keydown.ctrl.enter.prevent="run">
      <label class="flex flex-col gap-1"><span class="caption">Try a statement</span><textarea v-model="statement" class="field field-sizing-content max-h-40 min-h-14 resize-none font-mono text-sm" placeholder="SELECT …" data-test="statement"></textarea></label>
      <p class="flex items-center gap-3"><button type="submit" class="button" :disabled="busy || !statement.trim()" data-test="run-statement">{{ busy ? "Running…" : "Run it" }}</button><span class="caption">Ctrl Enter</span></p>
    </form>
    <p v-if="wrong" class="text-rust" role="alert" data-test="statement-problem">{{ wrong }}</p>
    <div v-if="rows" class="overflow-auto" tabindex="0" role="group" aria-label="Rows" data-test="rows">
      <table class="w-full text-sm">
        <thead><tr><th v-for="column in rows.columns" :key="column" class="border-b border-rule px-2 py-1 text-left font-mono font-semibold">{{ column }}</th></tr></thead>
        <tbody>
          <tr v-for="(row, at) in rows.rows" :key="at"><td v-for="(value, i) in row" :key="i" class="border-b border-rule-soft px-2 py-0.5" :class="typeof value === 'number' ? 'text-right font-mono tabular-nums' : ''">{{ value ?? "—" }}</td></tr>
        </tbody>
      </table>
      <p class="caption mt-1">{{ rows.rows.length === 0 ? "No row fits." : rows.more ? `The first ${rows.rows.length} rows; there are more.` : rows.rows.length === 1 ? "1 row" : `${rows.rows.length} rows` }}</p>
    </div>
  </div>
</template>
