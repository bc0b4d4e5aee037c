<script setup lang="ts">
import { computed } from "vue";

import type { ModelLine } from "@/api/schema";
import TryModel from "./TryModel.vue";

const props = defineProps<{ model: ModelLine }>();
const WORDS: Record<ModelLine["abilities"][number], string> = {
  tools: "call tools",
  images: "look at images",
  reply_schema: "keep to a reply schema",
  reasoning: "reason first",
  embeddings: "make vectors of texts",
};
const abilities = computed(() => {
  const told = props.model.abilities.map((each) => WORDS[each]);
  return told.length > 1 ? `${told.slice(0, -1).join(", ")} and ${told.at(-1)}` : (told[0] ?? "only answer");
});
</script>

<template>
  <header class="border-b border-rule px-gut py-head">
    <h1 class="font-semibold" data-test="model-title">{{ model.name }}</h1>
    <p class="caption">Comes with Epistem, so it is as it is. To have it otherwise, add a model under another name.</p>
  </header>
  <div class="flex min-h-0 flex-1 flex-col gap-3 overflow-auto p-gut">
    <p v-if="model.about" class="font-serif text-read">{{ model.about }}.</p>
    <p v-if="model.policy">{{ model.policy }}</p>
    <p class="text-sm text-ink-2">It speaks {{ model.wire_format === "messages" ? "messages" : "chat completions" }} and has {{ model.time_limit_ms / 1000 }} s for an answer.</p>
    <p class="text-sm text-ink-2">It can {{ abilities }}.</p>
    <TryModel :name="model.name" :changed="false" />
  </div>
</template>
