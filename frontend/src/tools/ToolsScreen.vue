<script setup lang="ts">
/** Tools that prompts share: each with what it does, called by hand beside; what they read, and where they may go. */
import { computed, ref, useTemplateRef, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { messageOf } from "@/api/client";
import { faultOf } from "@/api/fault";
import type { Tool } from "@/api/schema";
import { useTool, useToolbox, useToolChanges } from "@/api/tools";
import AppHeader from "@/frame/AppHeader.vue";
import { useKeys } from "@/frame/keys";
import { complain, say } from "@/frame/notices";
import { lastPlace } from "@/frame/place";
import { count } from "@/marks/format";
import { copied } from "@/parts/values";
import AllowedAddresses from "./AllowedAddresses.vue";
import CallByHand from "./CallByHand.vue";
import NewToolForm from "./NewToolForm.vue";
import SourceForm from "./SourceForm.vue";
import SourceReading from "./SourceReading.vue";
import ToolSheet from "./ToolSheet.vue";

const route = useRoute();
const router = useRouter();
const toolbox = useToolbox();
const changes = useToolChanges();
const tools = computed(() => toolbox.data.value?.tools ?? []);
const sources = computed(() => toolbox.data.value?.sources ?? []);
const asked = (name: string) => (typeof route.query[name] === "string" ? (route.query[name] as string) : "");
/** What stands in the middle beside a tool: `new`, `source`, `new-source`, `addresses`. */
const show = computed(() => asked("show"));
const chosen = computed(() => {
  if (show.value) return null;
  const { tool } = route.params;
  return typeof tool === "string" && tool ? tool : (tools.value[0]?.name ?? null);
});
const tool = useTool(chosen);
const page = computed(() => (chosen.value && tool.data.value?.name === chosen.value ? tool.data.value : null));
const typed = ref<Tool | null>(null);
/** The version that is typed in, as it was. */
const basis = ref({ name: "", number: 0, content: "" });
watch(
  [() => page.value?.name, () => page.value?.versions[0]?.number],
  () => {
    const now = page.value;
    const edited = typed.value !== null && now?.name === basis.value.name && JSON.stringify(typed.value) !== basis.value.content;
    if (edited) return; // what is typed stays, when a version of somebody else's comes in
    typed.value = now ? copied(now.content) : null;
    basis.value = { name: now?.name ?? "", number: now?.versions[0]?.number ?? 0, content: JSON.stringify(now?.content ?? null) };
  },
  { immediate: true },
);
/** After a save: it is the newest, whatever else came. */
function saved(number: number, content: Tool): void {
  typed.value = copied(content);
  basis.value = { name: basis.value.name, number, content: JSON.stringify(content) };
}
const KIND_WORDS: Record<string, string> = { fixed: "fixed answers", http: "an address", sql: "SQL", clock: "the time", arithmetic: "sums", look_up: "look-ups", code: "code" };

const open = (name: string) => void router.replace({ name: "tools", params: { tool: name } });
const turnTo = (what: string, more: Record<string, string> = {}) => void router.replace({ name: "tools", params: {}, query: { show: what, ...more } });
function move(by: number): void {
  const at = tools.value.findIndex(({ name }) => name === chosen.value);
  const next = tools.value[Math.min(Math.max(at + by, 0), tools.value.length - 1)];
  if (next) open(next.name);
}
async function removeSource(name: string): Promise<void> {
  try {
    await changes.removeSource(name);
    say(`The source ${name} is gone.`);
    await router.replace({ name: "tools", params: {} });
  } catch (error) {
    complain(messageOf(error));
  }
}
const bench = useTemplateRef<{ focus: () => void }>("bench");
useKeys([
  { keys: { j: () => move(1), k: () => move(-1) }, shown: ["J", "K"], label: "tool" },
  { keys: { "/": () => bench.value?.focus() }, shown: ["/"], label: "call it by hand" },
  { keys: { n: () => turnTo("new") }, shown: ["N"], label: "new tool" },
  { keys: { b: () => lastPlace.value && void router.push(lastPlace.value.path) }, shown: ["B"], label: "back" },
]);
</script>

<template>
  <AppHeader
    ><span class="flex flex-1 items-center px-gut text-read font-semibold">Tools</span>
    <RouterLink v-if="lastPlace" :to="lastPlace.path" class="flex items-center px-gut" data-test="back"><span class="link">Back to {{ lastPlace.name }}</span></RouterLink>
    <RouterLink to="/" class="flex items-center px-edge"><span class="link">Desk</span></RouterLink></AppHeader
  >
  <main class="grid min-h-0 flex-1 grid-cols-[236px_minmax(0,1fr)_minmax(320px,400px)] gap-3 px-edge py-3">
    <section class="panel flex min-h-0 flex-col" aria-label="What there is">
      <header class="flex items-center gap-3 border-b border-rule px-gut py-head">
        <b class="flex-1 font-semibold">{{ toolbox.isPending.value ? "Tools" : count(tools.length, "tool") }}</b>
        <button type="button" class="link text-sm" data-test="new-tool" @click="turnTo('new')">New</button>
      </header>
      <div class="min-h-0 flex-1 overflow-auto" tabindex="0" role="group" aria-label="Tools, sources and addresses">
        <p v-if="faultOf(toolbox)" class="p-gut text-rust" role="alert">{{ messageOf(faultOf(toolbox)) }}</p>
        <div v-else-if="toolbox.isPending.value" class="flex flex-col gap-2 p-gut" role="status" aria-label="Loading"><div v-for="n in 4" :key="n" class="h-6 bg-paper"></div></div>
        <button
          v-for="each in tools"
          :key="each.name"
          type="button"
          class="block w-full border-b border-rule-soft px-gut py-1.5 text-left"
          :class="each.name === chosen ? 'bg-kelp-wash' : 'hover:bg-paper'"
          :aria-current="each.name === chosen"
          data-test="kept-tool"
          @click="open(each.name)"
        >
          <span class="block truncate font-mono text-sm font-semibold">{{ each.name }}</span>
          <span class="caption block truncate">v{{ each.newest }} · {{ KIND_WORDS[each.kind] ?? each.kind }}<span v-if="each.changes" class="text-straw"> · changes things</span></span>
        </button>
        <div class="flex items-baseline gap-3 border-b border-rule-soft px-gut pt-4 pb-1">
          <b class="flex-1 font-semibold">{{ count(sources.length, "source") }}</b>
          <button type="button" class="link text-sm" data-test="new-source" @click="turnTo('new-source')">New</button>
        </div>
        <button
          v-for="each in sources"
          :key="each.name"
          type="button"
          class="block w-full border-b border-rule-soft px-gut py-1.5 text-left"
          :class="show === 'source' && asked('name') === each.name ? 'bg-kelp-wash' : 'hover:bg-paper'"
          data-test="source"
          @click="turnTo('source', { name: each.name })"
        >
          <span class="block truncate font-mono text-sm font-semibold">{{ each.name }}</span>
          <span class="caption block truncate">{{ each.about || (each.kind === "sqlite" ? each.file : each.place) }}</span>
        </button>
        <button type="button" class="block w-full px-gut pt-4 pb-1.5 text-left hover:bg-paper" :class="show === 'addresses' ? 'bg-kelp-wash' : ''" data-test="to-addresses" @click="turnTo('addresses')">
          <b class="block font-semibold">{{ count(toolbox.data.value?.addresses.length ?? 0, "address", "addresses") }}</b>
          <span class="caption block">that tools may reach</span>
        </button>
        <p v-if="toolbox.data.value?.more" class="caption px-gut py-2" data-test="more-tools">There are others: the first 120 of each by name are shown, all of them work.</p>
      </div>
    </section>
    <section class="panel flex min-h-0 min-w-0 flex-col" :class="show || !tools.length ? 'col-span-2' : ''" aria-label="What is open">
      <NewToolForm v-if="show === 'new' || (!show && !toolbox.isPending.value && !tools.length)" :first="!tools.length" @made="open" @cancel="router.replace({ name: 'tools', params: {} })" />
      <SourceForm v-else-if="show === 'new-source'" :key="asked('name')" :name="asked('name')" @made="(name) => turnTo('source', { name })" @cancel="router.replace({ name: 'tools', params: {} })" />
      <SourceReading v-else-if="show === 'source'" :name="asked('name')" @change="turnTo('new-source', { name: asked('name') })" @remove="removeSource(asked('name'))" />
      <AllowedAddresses v-else-if="show === 'addresses' && toolbox.data.value" :key="asked('add')" :toolbox="toolbox.data.value" :add="asked('add')" />
      <div v-else-if="faultOf(tool)" class="p-6">
        <p class="text-rust" role="alert">{{ messageOf(faultOf(tool)) }}</p>
        <RouterLink :to="{ name: 'tools', params: {} }" class="link">Show what there is</RouterLink>
      </div>
      <ToolSheet v-else-if="page && typed" :key="page.name" v-model="typed" :page="page" :after="basis.number" @saved="saved" @go-on="(number) => (basis.number = number)" />
    </section>
    <section v-if="!show && tools.length" class="panel flex min-h-0 min-w-0 flex-col" aria-label="Call it by hand">
      <header class="border-b border-rule px-gut py-head"><b class="font-semibold">Call it by hand</b></header>
      <div class="min-h-0 flex-1 overflow-auto p-gut" tabindex="0" role="group" aria-label="A call by hand">
        <CallByHand v-if="page && typed" ref="bench" :key="page.name" :tool="typed" :kept="page.name" />
      </div>
    </section>
  </main>
</template>
