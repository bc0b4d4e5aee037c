<script setup lang="ts">
/** What the person says next: typed, or taken from the case; and the talk replayed. */
import { computed, ref, watch } from "vue";

import type { PersonSays } from "@/api/schema";
import { count } from "@/marks/format";

const props = defineProps<{
  turns: string[];
  caseTurns: string[];
  /** What the person of the case says by rules to the first column's answers, or how the talk ended; null without rules. */
  byRules: PersonSays | null;
  /** Whether the person of the case can play the talk by themselves. */
  plays: boolean;
  busy: boolean;
  ready: boolean;
}>();
const emit = defineEmits<{ next: [text: string]; replay: []; over: []; play: [] }>();
const text = ref("");
const suggested = computed(() => (props.byRules && props.ready ? (props.byRules.said ?? "") : (props.caseTurns[props.turns.length] ?? "")));

watch(
  () => props.turns.length,
  () => (text.value = ""),
);
function send(): void {
  const said = text.value.trim() || suggested.value;
  if (said && props.ready && !props.busy) emit("next", said);
}
</script>

<template>
  <form class="flex items-center gap-3 border-t border-rule-soft px-gut py-line" @submit.prevent="send">
    <span class="caption w-15.5 shrink-0">Says next</span>
    <input
      v-model="text"
      class="min-w-0 flex-1 bg-transparent font-serif text-read outline-none"
      :disabled="!ready"
      :placeholder="suggested || (ready ? 'What they say to that, in all columns' : 'Answer first, or let the talk play by itself')"
      aria-label="What the person says next"
      data-test="next-turn"
    />
    <button v-if="suggested && !text" type="submit" class="link shrink-0 text-sm" :disabled="!ready || busy" data-test="take-turn">
      {{ byRules ? "say it, by the case’s rules" : `take it from the case (${turns.length + 1} of ${caseTurns.length})` }}
    </button>
    <span v-if="byRules?.ended && ready" class="shrink-0 text-sm text-ink-2" data-test="talk-ended">the talk ended: {{ byRules.ended }}</span>
    <button v-if="plays" type="button" class="link shrink-0 text-sm" :disabled="busy" title="The whole talk by itself, in each column by its own answers" data-test="play-talk" @click="emit('play')">Play it all</button>
    <template v-if="turns.length">
      <button type="button" class="link shrink-0 text-sm" :disabled="busy" data-test="replay" @click="emit('replay')">
        Replay {{ count(turns.length + 1, "turn") }}
      </button>
      <button type="button" class="link shrink-0 text-sm" :disabled="busy" data-test="start-over" @click="emit('over')">Start over</button>
    </template>
  </form>
</template>
