<script setup lang="ts">
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";

import { faultOf } from "@/api/fault";
import { messageOf } from "@/api/client";
import { entryOf, useModelChanges, useModels } from "@/api/models";
import type { ModelLine } from "@/api/schema";
import AppHeader from "@/frame/AppHeader.vue";
import { useKeys } from "@/frame/keys";
import { complain, say } from "@/frame/notices";
import { count } from "@/marks/format";
import ModelFacts from "./ModelFacts.vue";
import ModelForm from "./ModelForm.vue";

const route = useRoute();
const router = useRouter();
const changes = useModelChanges();
const models = useModels();
const all = computed(() => models.data.value?.models ?? []);
const adding = ref(false);
/** The model that was added last, to be tried at once. */
const added = ref<string | null>(null);
const chosen = computed(() => all.value.find((model) => model.name === route.params.model) ?? all.value[0] ?? null);

function show(model: ModelLine | undefined): void {
  adding.value = false;
  if (model) void router.replace({ name: "models", params: { model: model.name } });
}
function move(by: number): void {
  const at = all.value.findIndex((model) => model.name === chosen.value?.name);
  show(all.value[Math.min(Math.max(at + by, 0), all.value.length - 1)]);
}
function host(address: string): string {
  return address.replace(/^https?:\/\//, "");
}

async function saved(name: string): Promise<void> {
  added.value = adding.value ? name : null;
  adding.value = false;
  await router.replace({ name: "models", params: { model: name } });
}

async function remove(model: ModelLine): Promise<void> {
  try {
    await changes.remove(model);
    say(`${model.name} is off the list; what it answered stays.`, () => void putBack(model));
    await router.replace({ name: "models", params: {} });
  } catch (error) {
    complain(messageOf(error));
  }
}
async function putBack(model: ModelLine): Promise<void> {
  try {
    await changes.save(model.name, null, entryOf(model));
    await saved(model.name);
  } catch (error) {
    complain(messageOf(error));
  }
}

useKeys([
  {
    keys: { j: () => move(1), k: () => move(-1), arrowdown: () => move(1), arrowup: () => move(-1) },
    shown: ["J", "K"],
    label: "model",
  },
  { keys: { a: () => (adding.value = true) }, shown: ["A"], label: "add a model" },
]);
</script>

<template>
  <AppHeader
    ><span class="flex flex-1 items-center px-[14px] text-read font-semibold">Models</span>
    <RouterLink to="/" class="flex items-center px-[18px]"><span class="link">Desk</span></RouterLink></AppHeader
  >
  <main class="flex min-h-0 flex-1 gap-3 px-[18px] py-3">
    <section class="panel flex min-w-0 flex-[3] flex-col">
      <header class="flex items-center gap-3 border-b border-rule px-[14px] py-[10px]">
        <span class="flex-1"
          ><b class="font-semibold">{{ count(all.length, "model") }}</b> <span class="caption">cheapest first; prices in cents for a million tokens</span></span
        >
        <button type="button" class="button" data-test="add-model" @click="adding = true">Add a model</button>
      </header>
      <div class="model-row border-b border-rule py-[6px] text-xs font-medium text-ink-2">
        <span>Name</span><span>Server</span><span class="text-right">Window</span><span class="text-right">In</span
        ><span class="text-right">Out</span><span>Key</span>
      </div>
      <div class="min-h-0 flex-1 overflow-auto">
        <div v-if="models.isPending.value" class="flex flex-col gap-2 p-[14px]" aria-label="Loading">
          <div v-for="n in 5" :key="n" class="h-6 bg-paper"></div>
        </div>
        <div v-else-if="faultOf(models)" class="p-6">
          <p class="text-rust" role="alert">{{ messageOf(faultOf(models)) }}</p>
          <button type="button" class="button mt-2" @click="models.refetch()">Try again</button>
        </div>
        <p v-else-if="all.length === 0" class="p-6">No model yet. Add one by the address of its server.</p>
        <button
          v-for="model in all"
          v-else
          :key="model.name"
          type="button"
          class="model-row h-[34px] w-full items-center border-b border-rule-soft text-left hover:bg-paper"
          :class="model.name === chosen?.name && !adding ? 'bg-kelp-wash hover:bg-kelp-wash' : ''"
          data-test="model-row"
          @click="show(model)"
        >
          <span class="truncate font-medium">{{ model.name }}</span>
          <span class="truncate font-mono text-sm text-ink-2">{{ host(model.address) }}</span>
          <span class="text-right font-mono text-sm tabular-nums">{{ model.context_window.toLocaleString("en") }}</span>
          <span class="text-right font-mono text-sm tabular-nums">{{ model.input_cents }}</span>
          <span class="text-right font-mono text-sm tabular-nums">{{ model.output_cents }}</span>
          <span class="truncate font-mono text-sm text-ink-2">{{ model.key_reference ?? "none" }}</span>
        </button>
      </div>
    </section>
    <section class="panel flex min-w-0 flex-[2] flex-col">
      <ModelForm v-if="adding" key="new" :model="null" :names="all.map((each) => each.name)" @saved="saved" @cancel="adding = false" />
      <ModelFacts v-else-if="chosen?.built_in" :key="chosen.name" :model="chosen" />
      <ModelForm
        v-else-if="chosen"
        :key="chosen.name"
        :model="chosen"
        :names="[]"
        :try-now="chosen.name === added"
        @saved="saved"
        @remove="remove(chosen)"
      />
    </section>
  </main>
</template>

<style scoped>
.model-row { display: grid; grid-template-columns: 1.2fr 1.5fr 70px 56px 56px 1fr; column-gap: 12px; padding-inline: 14px; }
</style>
