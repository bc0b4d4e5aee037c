<script setup lang="ts">
/** Two texts line by line: what is gone and what is new, with a few lines around, and the rest folded. */
import { diffLines } from "diff";
import { computed, ref } from "vue";

const props = defineProps<{ before: string; after: string }>();
const AROUND = 2;
const opened = ref(new Set<number>());

interface Block {
  kind: "same" | "new" | "gone";
  lines: string[];
}
const MOST = 300_000;
const blocks = computed<Block[]>(() =>
  props.before.length + props.after.length > MOST ? [{ kind: "new", lines: props.after.slice(0, MOST).split("\n") }] : diffLines(props.before, props.after).map(({ value, added, removed }) => ({ kind: added ? "new" : removed ? "gone" : "same", lines: value.replace(/\n$/, "").split("\n") })),
);
/** What of an unchanged block is shown: its ends, or all of it where little would be folded. */
function shown(block: Block, at: number): { before: string[]; folded: number; after: string[] } {
  const head = at === 0 ? 0 : AROUND;
  const tail = at === blocks.value.length - 1 ? 0 : AROUND;
  const folded = block.lines.length - head - tail;
  if (block.kind !== "same" || folded < 3 || opened.value.has(at)) return { before: block.lines, folded: 0, after: [] };
  return { before: block.lines.slice(0, head), folded, after: tail ? block.lines.slice(-tail) : [] };
}
const MARK = { same: " ", new: "+", gone: "−" } as const;
const WORD = { same: "", new: "new: ", gone: "gone: " } as const;
const open = (at: number) => (opened.value = new Set([...opened.value, at]));
</script>

<template>
  <div class="font-mono text-xs" data-test="line-diff">
    <template v-for="(block, at) in blocks" :key="at">
      <p v-for="(line, n) in shown(block, at).before" :key="`b${n}`" class="flex whitespace-pre-wrap" :class="{ 'bg-kelp-wash': block.kind === 'new', 'bg-rust-wash': block.kind === 'gone', 'text-ink-2': block.kind === 'same' }"><span class="w-5 shrink-0 text-center" aria-hidden="true">{{ MARK[block.kind] }}</span><span class="sr-only">{{ WORD[block.kind] }}</span>{{ line }}</p>
      <p v-if="shown(block, at).folded"><button type="button" class="link ml-5 font-sans" @click="open(at)">{{ shown(block, at).folded }} lines the same</button></p>
      <p v-for="(line, n) in shown(block, at).after" :key="`a${n}`" class="flex whitespace-pre-wrap text-ink-2"><span class="w-5 shrink-0"></span>{{ line }}</p>
    </template>
    <p v-if="blocks.every(({ kind }) => kind === 'same')" class="font-sans text-ink-2">They are the same.</p>
  </div>
</template>
