<script setup lang="ts">
/** What would come of a file: how it is read, its columns, its first rows, and what can't be taken. Nothing is kept yet. */
import { computed } from "vue";

import type { ColumnShape, HowToRead, ImportLook } from "@/api/schema";
import { count } from "@/marks/format";
import ColumnRows from "./ColumnRows.vue";

const props = defineProps<{ look: ImportLook; busy: boolean }>();
const emit = defineEmits<{ how: [how: Partial<HowToRead>]; columns: [columns: ColumnShape[]] }>();

const ENCODINGS = [
  "utf-8", "utf-16", "windows-1252", "iso-8859-15", "windows-1250", "windows-1251", "windows-1253", "windows-1254",
  "shift_jis", "euc-jp", "euc-kr", "gb18030", "big5", "mac-roman",
];
const SEPARATORS: [string, string][] = [[",", "commas"], [";", "semicolons"], ["\t", "tabs"], ["|", "bars"]];
const KINDS: Record<string, string> = { table: "a table", jsonl: "JSON lines", json: "JSON", yaml: "YAML", zip: "files" };
const encodings = computed(() => [...new Set([props.look.encoding, ...ENCODINGS])]);
const separators = computed(() =>
  !props.look.separator || SEPARATORS.some(([mark]) => mark === props.look.separator) ? SEPARATORS : [...SEPARATORS, [props.look.separator, props.look.separator]],
);
const OUTCOMES = { new: "new", changed: "changed", known: "known" } as const;
const text = (event: Event) => (event.target as HTMLSelectElement).value;
</script>

<template>
  <div class="flex min-h-0 flex-col gap-3" :aria-busy="busy">
    <p class="flex flex-wrap items-center gap-x-3 gap-y-1">
      <span class="font-semibold">{{ look.state.file }}</span>
      <span>read as {{ KINDS[look.kind] ?? look.kind }}</span>
      <template v-if="look.kind !== 'zip'">
        <label class="flex items-center gap-1.5">
          in
          <select class="field h-slim px-1" :value="look.encoding" aria-label="Encoding" data-test="encoding" @change="emit('how', { encoding: text($event) })">
            <option v-for="each in encodings" :key="each" :value="each">{{ each }}</option>
          </select>
        </label>
        <template v-if="look.kind === 'table'">
          <label class="flex items-center gap-1.5">
            with
            <select class="field h-slim px-1" :value="look.separator" aria-label="Separator" data-test="separator" @change="emit('how', { separator: text($event) })">
              <option v-for="[mark, told] in separators" :key="mark" :value="mark">{{ told }}</option>
            </select>
            between
          </label>
          <label class="flex items-center gap-1.5">
            <input type="checkbox" class="accent-kelp" :checked="look.header" data-test="header" @change="emit('how', { header: ($event.target as HTMLInputElement).checked })" />
            the first row is names
          </label>
        </template>
      </template>
      <span v-if="look.guessed" class="text-straw">The encoding is a guess: look at the letters.</span>
    </p>
    <p v-if="look.whole" class="text-ink-2">These are cases as Epistem writes them: they need no explaining.</p>
    <ColumnRows v-else :columns="look.columns" :inputs="look.inputs" @change="emit('columns', $event)" />
    <p data-test="import-counts" role="status">
      <b class="font-semibold">{{ count(look.new, "new case") }}</b><template v-if="look.changed">, <b class="font-semibold">{{ look.changed.toLocaleString("en") }}</b> that change what is kept</template
      ><template v-if="look.known">, {{ look.known.toLocaleString("en") }} known already</template>
      <template v-if="look.bad_rows">; <span class="text-rust">{{ count(look.bad_rows, "row") }} can’t be taken</span></template>.
    </p>
    <div class="grid min-h-0 gap-4" :class="look.bad.length ? 'grid-cols-[3fr_2fr]' : ''">
      <ol class="max-h-[26vh] min-w-0 overflow-auto border-t border-rule-soft" data-test="import-rows" aria-label="Its first cases">
        <li v-for="(row, at) in look.rows" :key="at" class="grid grid-cols-[64px_1fr_auto] gap-3 border-b border-rule-soft py-0.75">
          <span class="caption pt-0.5">{{ OUTCOMES[row.outcome] }}{{ row.number ? ` ${row.number}` : "" }}</span>
          <span class="truncate font-serif">{{ row.title }}<span v-if="row.turns" class="caption"> and {{ count(row.turns, "more turn") }}</span></span>
          <span class="flex gap-2 text-sm text-ink-2"><span class="font-mono">{{ row.label ?? "" }}</span><span>{{ row.tags.join(", ") }}</span></span>
        </li>
        <li v-if="look.new + look.changed + look.known > look.rows.length" class="caption py-0.75">and {{ (look.new + look.changed + look.known - look.rows.length).toLocaleString("en") }} more</li>
      </ol>
      <ol v-if="look.bad.length" class="max-h-[26vh] min-w-0 overflow-auto border-t border-rule-soft" data-test="bad-rows" aria-label="Rows that can’t be taken">
        <li v-for="(bad, at) in look.bad" :key="at" class="border-b border-rule-soft py-0.75">
          <span class="text-sm"><span class="font-mono">line {{ bad.line.toLocaleString("en") }}</span> <span class="text-rust">{{ bad.reason }}</span></span>
          <span class="block truncate font-serif text-ink-2" :title="bad.shown">{{ bad.shown }}</span>
        </li>
        <li v-if="look.bad_rows > look.bad.length" class="caption py-0.75">and {{ (look.bad_rows - look.bad.length).toLocaleString("en") }} more</li>
      </ol>
    </div>
  </div>
</template>
