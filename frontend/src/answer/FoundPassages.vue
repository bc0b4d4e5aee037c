<script setup lang="ts">
/** What was looked up for an answer: each passage with its reference, why it was found, and what the answer took word for word. */
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";
import { RouterLink } from "vue-router";

import type { FoundShape } from "@/api/schema";
import { count, ordinal } from "@/marks/format";
import { copiedIn, type Piece, supporting } from "./copied";

const props = withDefaults(defineProps<{ found: FoundShape[]; answer?: string; turns?: boolean; cited?: { number: number; sentence: string } | null }>(), { answer: "", turns: false, cited: null });
const open = defineModel<boolean>("open", { default: false });
const leaks = ref(true);
const all = computed(() => props.found.flatMap((each) => each.passages));
const tokens = computed(() => all.value.reduce((sum, each) => sum + each.tokens, 0));
const names = computed(() => [...new Set(props.found.map(({ looking }) => `${looking.collection} v${looking.version ?? "?"}`))].join(", "));
/** The share of the answer's words that stand so in the passages, five in a row or more. */
const copied = computed(() => copiedIn(props.answer, all.value.map(({ title, text }) => `${title}: ${text}`)));
/** Of what is cited the words that support it; of others what the answer took. Only the last turn is cited. */
const isCited = (each: FoundShape, at: number) => props.cited?.number === at + 1 && each === props.found.at(-1);
function pieces(each: FoundShape, at: number): Piece[] {
  const { text } = each.passages[at]!;
  if (props.cited && isCited(each, at)) return supporting(props.cited.sentence, text);
  return leaks.value ? copied.value.pieces(text) : [{ text, copied: false }];
}
const list = useTemplateRef<HTMLElement>("list");
watch(
  () => props.cited,
  async (cited) => {
    if (!cited) return;
    open.value = true;
    await nextTick();
    list.value?.querySelector("[data-cited=true]")?.scrollIntoView({ block: "nearest" });
  },
);
const why = (each: FoundShape["passages"][number]) =>
  each.beside ? "beside one that was found" : [each.by_words && `${ordinal(each.by_words)} by words`, each.by_meaning && `${ordinal(each.by_meaning)} by meaning`].filter(Boolean).join(", ");
</script>

<template>
  <details v-if="found.length" ref="list" class="text-sm" :open="open" data-test="found" @toggle="open = ($event.target as HTMLDetailsElement).open">
    <summary class="cursor-pointer text-ink-2">
      {{ all.length ? count(all.length, "passage") : "Nothing" }} from {{ names }}<template v-if="all.length">, {{ count(tokens, "token") }}</template
      ><template v-if="answer && all.length"> · {{ Math.round(100 * copied.share) }}% of the answer word for word</template>
    </summary>
    <p v-if="!all.length" class="mt-1 text-straw">The question found nothing, and the request has no passage.</p>
    <label v-if="answer && copied.share > 0" class="mt-1 flex items-center gap-1.5"><input v-model="leaks" type="checkbox" class="accent-kelp" data-test="show-leaks" /> mark what the answer took word for word</label>
    <template v-for="each in found" :key="`${each.turn} ${each.input}`">
      <p v-if="turns" class="caption mt-1">for turn {{ (each.turn ?? 0) + 1 }}: “{{ each.question }}”</p>
      <ol>
        <li v-for="(passage, at) in each.passages" :key="passage.reference" class="mt-1 border-l-2 pl-2" :class="isCited(each, at) ? 'border-kelp bg-kelp-wash' : 'border-rule'" :data-cited="isCited(each, at)" data-test="found-passage">
          <p class="flex items-baseline gap-2">
            <span class="font-mono text-xs">[{{ at + 1 }}]</span>
            <RouterLink class="link font-mono text-xs" :to="{ name: 'knowledge', params: { collection: each.looking.collection, document: passage.reference.split('#')[0] }, query: { at: passage.reference, ...(each.looking.version ? { version: String(each.looking.version) } : {}) } }">{{ passage.reference }}</RouterLink>
            <span class="caption min-w-0 flex-1 truncate" :title="passage.title">{{ passage.title }}</span>
            <span class="caption shrink-0">{{ why(passage) }}</span>
          </p>
          <p class="font-serif whitespace-pre-line"><template v-for="(piece, place) in pieces(each, at)" :key="place"><mark v-if="piece.copied" class="bg-straw-wash text-ink underline decoration-straw decoration-1 underline-offset-2">{{ piece.text }}</mark><template v-else>{{ piece.text }}</template></template></p>
        </li>
      </ol>
    </template>
  </details>
</template>
