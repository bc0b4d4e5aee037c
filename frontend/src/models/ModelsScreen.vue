<script setup lang="ts">
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";

import ColumnRow from "@/parts/ColumnRow.vue";
import { lastPlace } from "@/frame/place";
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

const COLUMNS = "1.2fr 1.5fr 70px 56px 56px 1fr";
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
  { keys: { b: () => lastPlace.value && void router.push(lastPlace.value.path) }, shown: ["B"], label: "back" },
  { keys: { a: () => (adding.value = true) }, shown: ["A"], label: "add a model" },
]);
</script>

<template>
  <AppHeader
    ><span class="flex flex-1 items-center px-gut text-read font-semibold">Models</span>
    <RouterLink v-if="lastPlace" :to="lastPlace.path" class="flex items-center px-gut" data-test="back"><span class="link">Back to {{ lastPlace.name }}</span></RouterLink>
    <RouterLink to="/" class="flex items-center px-edge"><span class="link">Desk</span></RouterLink></AppHeader
  >
  <main class="flex min-h-0 flex-1 gap-3 px-edge py-3">
    <section class="panel flex min-w-0 flex-[3] flex-col">
      <header class="flex items-center gap-3 border-b border-rule px-gut py-head">
        <span class="flex-1"
          ><b class="font-semibold">{{ count(all.length, "model") }}</b> <span class="caption">cheapest first; prices in cents for a million tokens</span></span
        >
        <button type="button" class="button" data-test="add-model" @click="adding = true">Add a model</button>
      </header>
      <ColumnRow head :columns="COLUMNS">
        <span>Name</span><span>Server</span><span class="text-right">Window</span><span class="text-right">In</span
        ><span class="text-right">Out</span><span>Key</span>
      </ColumnRow>
      <div class="min-h-0 flex-1 overflow-auto">
        <div v-if="models.isPending.value" class="flex flex-col gap-2 p-gut" role="status" aria-label="Loading">
          <div v-for="n in 5" :key="n" class="h-6 bg-paper"></div>
        </div>
        <div v-else-if="faultOf(models)" class="p-6">
          <p class="text-rust" role="alert">{{ messageOf(faultOf(models)) }}</p>
          <button type="button" class="button mt-2" @click="models.refetch()">Try again</button>
        </div>
        <p v-else-if="all.length === 0" class="p-6">No model yet. Add one by the address of its server.</p>
        <ColumnRow
          v-for="model in all"
          v-else
          :key="model.name"
          is="button"
          class="h-row"
          :columns="COLUMNS"
          :chosen="model.name === chosen?.name && !adding"
          data-test="model-row"
          @click="show(model)"
        >
          <span class="truncate"><span class="font-medium">{{ model.name }}</span> <span v-if="!model.answered" class="caption text-straw">has not answered yet</span></span>
          <span class="truncate font-mono text-sm text-ink-2">{{ host(model.address) }}</span>
          <span class="text-right font-mono text-sm tabular-nums">{{ model.context_window.toLocaleString("en") }}</span>
          <span class="text-right font-mono text-sm tabular-nums">{{ model.input_cents }}</span>
          <span class="text-right font-mono text-sm tabular-nums">{{ model.output_cents }}</span>
          <span class="truncate font-mono text-sm text-ink-2">{{ model.key_reference ?? "none" }}</span>
        </ColumnRow>
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
