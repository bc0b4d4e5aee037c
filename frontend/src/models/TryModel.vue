<script setup lang="ts">
import { onMounted, ref, useTemplateRef } from "vue";

import { fetchOffered, useModelChanges } from "@/api/models";
import { messageOf } from "@/api/client";
import type { Greeted, Habits } from "@/api/schema";
import { count, duration } from "@/marks/format";

/** `changed`: the entry has edits that are not saved. Only saved addresses are ever asked. */
const props = defineProps<{ name: string; changed: boolean; now?: boolean }>();
const emit = defineEmits<{ pick: [name: string]; habits: [found: Habits] }>();
const section = useTemplateRef<HTMLElement>("section");
const changes = useModelChanges();
const greeted = ref<Greeted | null>(null);
const offered = ref<string[] | null>(null);
const wrong = ref("");
const busy = ref("");

async function doing(what: string, work: () => Promise<void>): Promise<void> {
  busy.value = what;
  wrong.value = "";
  try {
    await work();
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = "";
  }
}
const greet = (name: string) =>
  doing("greet", async () => {
    greeted.value = null;
    greeted.value = await changes.greet(name);
  });
function setFound(): void {
  if (!greeted.value) return;
  emit("habits", greeted.value.habits);
  greeted.value = { ...greeted.value, findings: [] };
}
const list = (name: string) =>
  doing("list", async () => {
    offered.value = null;
    const found = await fetchOffered(name);
    offered.value = found.names;
  });

// A model that was just added is tried at once, with what comes of it in sight.
onMounted(() => {
  if (!props.now) return;
  section.value?.scrollIntoView({ block: "end" });
  void greet(props.name).then(() => section.value?.scrollIntoView({ block: "end" }));
});
</script>

<template>
  <section ref="section" class="border-t border-rule pt-3">
    <div class="flex items-center gap-2">
      <button type="button" class="button" :disabled="busy !== '' || changed" data-test="greet" @click="greet(name)">
        {{ busy === "greet" ? "Asking…" : "Ask it for one word" }}
      </button>
      <button type="button" class="button" :disabled="busy !== '' || changed" data-test="list-offered" @click="list(name)">
        {{ busy === "list" ? "Asking…" : "What its server offers" }}
      </button>
      <span v-if="changed" class="caption">Save first: only saved addresses are asked.</span>
    </div>
    <p v-if="wrong" class="mt-2 text-rust" role="alert" data-test="greet-problem">{{ wrong }}</p>
    <p v-if="greeted" class="mt-2" data-test="greeted">
      It answered “<span class="font-serif">{{ greeted.answer }}</span>” after {{ duration(greeted.total_ms) }},
      <template v-if="greeted.told">{{ greeted.input_tokens }} + {{ count(greeted.output_tokens, "token") }}, </template>
      as <span class="font-mono">{{ greeted.model || "no name" }}</span>.
      <template v-if="!greeted.told">Its server does not tell the tokens, so they and the cost are estimated.</template>
    </p>
    <div v-if="greeted?.findings.length" class="mt-2 border-l-2 border-straw pl-3" data-test="greet-findings">
      <p v-for="each in greeted.findings" :key="each">{{ each }}</p>
      <p class="mt-1">
        <button type="button" class="button" :disabled="changed" data-test="set-habits" @click="setFound">Set this in its entry</button>
        <span class="caption ml-2">found by {{ count(greeted.calls, "call") }}</span>
      </p>
    </div>
    <div v-if="offered" class="mt-2" data-test="offered">
      <p class="caption">{{ count(offered.length, "name") }} at this server</p>
      <ul class="max-h-35 overflow-auto font-mono text-sm">
        <li v-for="each in offered" :key="each">
          <button type="button" class="hover:underline" title="Take it as the name at the server" @click="emit('pick', each)">{{ each }}</button>
        </li>
      </ul>
    </div>
  </section>
</template>
