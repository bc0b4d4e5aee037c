<script setup lang="ts">
import type { ModelLine } from "@/api/schema";
import TryModel from "./TryModel.vue";

defineProps<{ model: ModelLine }>();
</script>

<template>
  <header class="border-b border-rule px-[14px] py-[10px]">
    <h1 class="font-semibold" data-test="model-title">{{ model.name }}</h1>
    <p class="caption">Comes with Epistem, so it is as it is. To have it otherwise, add a model under another name.</p>
  </header>
  <div class="flex min-h-0 flex-1 flex-col gap-3 overflow-auto p-[14px]">
    <p v-if="model.about" class="font-serif text-read">{{ model.about }}.</p>
    <p v-if="model.policy">{{ model.policy }}</p>
    <p class="text-sm text-ink-2">It speaks {{ model.wire_format === "messages" ? "messages" : "chat completions" }} and has {{ model.time_limit_ms / 1000 }} s for an answer.</p>
    <TryModel :name="model.name" :changed="false" />
  </div>
</template>
