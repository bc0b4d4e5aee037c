<script setup lang="ts">
/** What was looked up for an answer: each passage with its reference, why it was found, and what the answer took word for word. */
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";

import type { FoundShape } from "@/api/schema";
import { count, ordinal } from "@/marks/format";
import { copiedIn } from "./copied";

const props = withDefaults(defineProps<{ found: FoundShape[]; answer?: string; turns?: boolean }>(), { answer: "", turns: false });
const open = defineModel<boolean>("open", { default: false });
const leaks = ref(true);
const all = computed(() => props.found.flatMap((each) => each.passages));
const tokens = computed(() => all.value.reduce((sum, each) => sum + each.tokens, 0));
const names = computed(() => [...new Set(props.found.map(({ looking }) => `${looking.collection} v${looking.version ?? "?"}`))].join(", "));
/** The share of the answer's words that stand so in the passages, five in a row or more. */
const copied = computed(() => copiedIn(props.answer, all.value.map(({ title, text }) => `${title}: ${text}`)));
const why = (each: FoundShape["passages"][number]) =>
  each.beside ? "beside one that was found" : [each.by_words && `${ordinal(each.by_words)} by words`, each.by_meaning && `${ordinal(each.by_meaning)} by meaning`].filter(Boolean).join(", ");
</script>

<template>
  <details v-if="found.length" class="text-sm" :open="open" data-test="found" @toggle="open = ($event.target as HTMLDetailsElement).open">
    <summary class="cursor-pointer text-ink-2">
      {{ all.length ? count(all.length, "passage") : "Nothing" }} from {{ names }}<template v-if="all.length">, {{ count(tokens, "token") }}</template
      ><template v-if="answer && all.length"> · {{ Math.round(100 * copied.share) }}% of the answer word for word</template>
    </summary>
    <p v-if="!all.length" class="mt-1 text-straw">The question found nothing, and the request has no passage.</p>
    <label v-if="answer && copied.share > 0" class="mt-1 flex items-center gap-1.5"><input v-model="leaks" type="checkbox" class="accent-kelp" data-test="show-leaks" /> mark what the answer took word for word</label>
    <template v-for="each in found" :key="`${each.turn} ${each.input}`">
      <p v-if="turns" class="caption mt-1">for turn {{ (each.turn ?? 0) + 1 }}: “{{ each.question }}”</p>
      <ol>
        <li v-for="(passage, at) in each.passages" :key="passage.reference" class="mt-1 border-l-2 border-rule pl-2" data-test="found-passage">
          <p class="flex items-baseline gap-2">
            <span class="font-mono text-xs">[{{ at + 1 }}]</span>
            <RouterLink class="link font-mono text-xs" :to="{ name: 'knowledge', params: { collection: each.looking.collection, document: passage.reference.split('#')[0] }, query: { at: passage.reference, ...(each.looking.version ? { version: String(each.looking.version) } : {}) } }">{{ passage.reference }}</RouterLink>
            <span class="caption min-w-0 flex-1 truncate" :title="passage.title">{{ passage.title }}</span>
            <span class="caption shrink-0">{{ why(passage) }}</span>
          </p>
          <p class="font-serif whitespace-pre-line"><template v-for="(piece, place) in leaks ? copied.pieces(passage.text) : [{ text: passage.text, copied: false }]" :key="place"><mark v-if="piece.copied" class="bg-straw-wash text-ink underline decoration-straw decoration-1 underline-offset-2">{{ piece.text }}</mark><template v-else>{{ piece.text }}</template></template></p>
        </li>
      </ol>
    </template>
  </details>
</template>
