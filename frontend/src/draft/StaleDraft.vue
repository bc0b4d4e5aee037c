<script setup lang="ts">
/** Two people edited: both texts, side by side, and the choice. */
import type { Prompt } from "@/api/schema";

const props = defineProps<{ yours: Prompt; theirs: Prompt }>();
defineEmits<{ settle: [choice: "mine" | "theirs"] }>();

function asText(prompt: Prompt): string {
  const parts = (prompt.messages ?? []).flatMap((message) =>
    (message.parts ?? []).map((part) => `${message.role} · ${part.name}\n${part.text ?? ""}`),
  );
  return parts.join("\n\n");
}
const sides = [
  { key: "mine", title: "Yours", text: () => asText(props.yours), button: "Keep yours" },
  { key: "theirs", title: "The other", text: () => asText(props.theirs), button: "Take the other" },
] as const;
</script>

<template>
  <section class="border-b border-straw bg-straw-wash p-4" role="alert" data-test="stale">
    <p class="font-semibold text-straw">The draft was changed elsewhere while you edited. Nothing was overwritten.</p>
    <div class="mt-2 grid grid-cols-2 gap-3">
      <div v-for="side in sides" :key="side.key" class="flex min-w-0 flex-col gap-2">
        <span class="caption">{{ side.title }}</span>
        <pre class="max-h-[180px] overflow-auto bg-sheet p-2 font-serif text-base whitespace-pre-wrap">{{ side.text() }}</pre>
        <button type="button" class="button self-start" :data-test="`settle-${side.key}`" @click="$emit('settle', side.key)">
          {{ side.button }}
        </button>
      </div>
    </div>
  </section>
</template>
