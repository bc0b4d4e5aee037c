<script setup lang="ts">
/** Collections as reading matter: what there is, a document set as text, and a bench of look-ups beside. */
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { messageOf } from "@/api/client";
import { faultOf } from "@/api/fault";
import { useCollection, useCollections, useKnowledgeChanges } from "@/api/knowledge";
import AppHeader from "@/frame/AppHeader.vue";
import { useKeys } from "@/frame/keys";
import { complain, say } from "@/frame/notices";
import { lastPlace } from "@/frame/place";
import AboutCollection from "./AboutCollection.vue";
import BringDocuments from "./BringDocuments.vue";
import DocumentReading from "./DocumentReading.vue";
import LookUpBench from "./LookUpBench.vue";
import NewCollection from "./NewCollection.vue";
import { useRested } from "@/parts/useRested";
import ShelfList from "./ShelfList.vue";

const route = useRoute();
const router = useRouter();
const collections = useCollections();
const all = computed(() => collections.data.value?.collections ?? []);
const chosen = computed(() => {
  const { collection } = route.params;
  return typeof collection === "string" && collection ? collection : (all.value[0]?.name ?? null);
});
const version = computed(() => (route.query.version ? Number(route.query.version) : null));
const typed = ref("");
/** Words by which the documents are narrowed. */
const find = useRested(() => typed.value.trim());
const collection = useCollection(chosen, version, find);
const page = computed(() => collection.data.value ?? null);
const stem = computed(() => {
  const { document } = route.params;
  if (typeof document === "string" && document) return document;
  return page.value?.holds[0]?.stem ?? "";
});
watch(chosen, () => (typed.value = ""));
const changes = useKnowledgeChanges(() => chosen.value ?? "");

/** What stands in the middle: a document, or something that is done. */
const doing = ref<"" | "bring" | "new" | "about">("");
/** The passage that is pointed at, by its reference. */
const pointed = ref(typeof route.query.at === "string" ? route.query.at : "");
watch(() => route.query.at, (at) => (pointed.value = typeof at === "string" ? at : ""));

const place = (collectionName: string, document = "", more: Record<string, string> = {}) => ({ name: "knowledge", params: { collection: collectionName, document }, query: more });
const ofVersion = (): Record<string, string> => (version.value ? { version: String(version.value) } : {});
function choose(name: string): void {
  doing.value = "";
  void router.replace(place(name));
}
function read(document: string): void {
  doing.value = "";
  if (chosen.value) void router.replace(place(chosen.value, document, ofVersion()));
}
function show(reference: string): void {
  doing.value = "";
  const document = reference.split("#")[0]!;
  if (chosen.value) void router.replace(place(chosen.value, document, { ...ofVersion(), at: reference }));
}
function move(by: number): void {
  const holds = page.value?.holds ?? [];
  const at = holds.findIndex((each) => each.stem === stem.value);
  const next = holds[Math.min(Math.max(at + by, 0), holds.length - 1)];
  if (next) read(next.stem);
}
const bench = useTemplateRef<{ focus: () => void }>("bench");

async function putAway(): Promise<void> {
  const name = chosen.value;
  if (!name) return;
  try {
    await changes.putAway(true);
    doing.value = "";
    await router.replace({ name: "knowledge", params: {} });
    say(`“${name}” is put away.`, () => void useBack(name));
  } catch (error) {
    complain(messageOf(error));
  }
}
async function useBack(name: string): Promise<void> {
  try {
    await router.replace(place(name));
    await nextTick();
    await changes.putAway(false);
  } catch (error) {
    complain(messageOf(error));
  }
}
async function made(name: string): Promise<void> {
  await router.replace(place(name));
  await nextTick();
  doing.value = "bring";
}

useKeys([
  { keys: { j: () => move(1), k: () => move(-1) }, shown: ["J", "K"], label: "document" },
  { keys: { "/": () => bench.value?.focus() }, shown: ["/"], label: "look up" },
  { keys: { i: () => chosen.value && (doing.value = "bring") }, shown: ["I"], label: "bring documents in" },
  { keys: { n: () => (doing.value = "new") }, shown: ["N"], label: "new collection" },
  { keys: { b: () => lastPlace.value && void router.push(lastPlace.value.path) }, shown: ["B"], label: "back" },
]);
</script>

<template>
  <AppHeader
    ><span class="flex flex-1 items-center px-gut text-read font-semibold">Knowledge</span>
    <RouterLink v-if="lastPlace" :to="lastPlace.path" class="flex items-center px-gut" data-test="back"><span class="link">Back to {{ lastPlace.name }}</span></RouterLink>
    <RouterLink to="/" class="flex items-center px-edge"><span class="link">Desk</span></RouterLink></AppHeader
  >
  <main class="grid min-h-0 flex-1 grid-cols-[236px_minmax(0,1fr)_minmax(340px,420px)] gap-3 px-edge py-3">
    <ShelfList
      v-model="typed"
      :collections="all"
      :page="page"
      :chosen="chosen"
      :document="doing ? '' : stem"
      :loading="collections.isPending.value"
      :fault="faultOf(collections) ? messageOf(faultOf(collections)) : ''"
      @choose="choose"
      @read="read"
      @new="doing = 'new'"
      @bring="doing = 'bring'"
      @about="doing = 'about'"
    />
    <section class="panel flex min-h-0 min-w-0 flex-col" aria-label="What is read">
      <NewCollection v-if="doing === 'new' || (!chosen && !collections.isPending.value)" :first="all.length === 0" @made="made" @cancel="doing = ''" />
      <BringDocuments v-else-if="doing === 'bring' && page" :key="page.name" :collection="page" @kept="doing = ''" @cancel="doing = ''" />
      <AboutCollection v-else-if="doing === 'about' && page" :key="page.name" :page="page" @close="doing = ''" @put-away="putAway" @version="(number) => router.replace(place(page!.name, '', number ? { version: String(number) } : {}))" />
      <div v-else-if="faultOf(collection)" class="p-6">
        <p class="text-rust" role="alert">{{ messageOf(faultOf(collection)) }}</p>
        <RouterLink :to="{ name: 'knowledge', params: {} }" class="link">Show what there is</RouterLink>
      </div>
      <div v-else-if="page && !page.documents" class="flex flex-col items-start gap-3 p-8" data-test="empty-collection">
        <p class="max-w-120 font-serif text-say">“{{ page.name }}” is empty.</p>
        <p class="max-w-120 text-ink-2">Bring in what answers may draw on: texts, Markdown, HTML, PDF, a table, a folder or a zip. You see how it is cut into passages before anything is kept.</p>
        <button type="button" class="button button-main" data-test="bring-first" @click="doing = 'bring'">Bring documents in</button>
      </div>
      <DocumentReading v-else-if="page && stem" :key="`${page.name} ${stem} ${version ?? ''}`" :collection="page" :stem="stem" :version="version" :pointed="pointed" />
    </section>
    <LookUpBench v-if="page" ref="bench" :key="page.name" :collection="page" :version="version" @show="show" />
    <section v-else class="panel" aria-label="Look-ups"></section>
  </main>
</template>
