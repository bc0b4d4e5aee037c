<script setup lang="ts">
/** The chosen step as it is set up: its name, when it is taken, and what its kind asks for. */
import { computed } from "vue";

import { useCollections } from "@/api/knowledge";
import { api, got, messageOf } from "@/api/client";
import { cheapestAndDearest, useModels } from "@/api/models";
import { useDesk } from "@/api/subjects";
import { fetchToolVersion, useToolbox } from "@/api/tools";
import type { Chain, ChainFault, LookingUp, Tool } from "@/api/schema";
import { complain } from "@/frame/notices";
import LookUpSettings from "@/knowledge/LookUpSettings.vue";
import TypedField from "@/parts/TypedField.vue";
import WorkFields from "@/tools/WorkFields.vue";
import AskFields from "./AskFields.vue";
import ChecksField from "./ChecksField.vue";
import CollectFields from "./CollectFields.vue";
import ExprField from "./ExprField.vue";
import ExprRows from "./ExprRows.vue";
import RouteFields from "./RouteFields.vue";
import SendFields from "./SendFields.vue";
import { rungsOf, type Step, titleOf } from "./steps";
import WritesField from "./WritesField.vue";

const step = defineModel<Step>({ required: true });
const props = defineProps<{ name: string; at: string; chain: Chain; faults: ChainFault[]; asks: string[] }>();
const emit = defineEmits<{ named: [name: string] }>();

type Of<K extends Step["kind"]> = Extract<Step, { kind: K }>;
const as = <K extends Step["kind"]>(kind: K): Of<K> | null => (step.value.kind === kind ? (step.value as Of<K>) : null);
function set(more: object): void {
  step.value = { ...step.value, ...more } as Step;
}
const names = computed(() => (props.chain.state ?? []).map((each) => each.name));
const known = computed(() => [...(props.chain.inputs ?? []).map((each) => each.name), ...names.value]);
const faultOf = (field: string) => props.faults.find((fault) => fault.field === field)?.message ?? "";
/** What no field shows is said on top. */
const rest = computed(() => props.faults.filter(({ field }) => !["until", "best", "over", "gives", "of", "question", "only_if", "given", "sees", "begins", "address", "fields", "merge", "model", "chooser.of", "chooser.model", "merge.model"].includes(field) && !/^(ways|fields|body|merge)\./.test(field) && !field.startsWith("prompt.") && !field.startsWith("writes.") && !field.startsWith("given.") && !(field === "writes" && "writes" in step.value)));

const models = useModels();
const usual = computed(() => cheapestAndDearest(models.data.value?.models ?? [])[0]?.name ?? "");
/** Whether somebody talks with it, so that there is something to be seen of that. */
const talks = computed(() => !!props.chain.talk || rungsOf(props.chain.steps).some(({ step: each }) => each?.kind === "collect"));
const collections = useCollections();
const toolbox = useToolbox();
const desk = useDesk();
const chains = computed(() => (desk.data.value?.pages ?? []).flatMap((page) => page.subjects).filter(({ kind, versions, name }) => kind === "chain" && versions > 0 && name !== props.name));
const setLooking = (more: Partial<LookingUp>) => set({ looking: { ...as("look_up")!.looking, ...more } });

async function takeTool(reference: string): Promise<void> {
  const [, name, number] = /^(.+)@(\d+)$/.exec(reference) ?? [];
  if (!name) return set({ tool: { ...as("tool")!.tool, kept: "" } });
  try {
    const { content } = await fetchToolVersion(name, Number(number));
    set({ tool: { ...content, kept: reference } });
  } catch (wrong) {
    complain(messageOf(wrong));
  }
}
async function takeChain(reference: string): Promise<void> {
  const [, name, number] = /^(.+)@(\d+)$/.exec(reference) ?? [];
  if (!name) return;
  try {
    const version = await got(api.GET("/api/v1/subjects/{name}/chain/versions/{number}", { params: { path: { name, number: Number(number) } } }));
    set({ kept: reference, chain: version.content });
  } catch (wrong) {
    complain(messageOf(wrong));
  }
}
const putBranch = (at: number, name: string) => set({ branches: as("both")!.branches.map((each, i) => (i === at ? { ...each, name } : each)) });
const number = (event: Event, least: number, most: number) => Math.min(most, Math.max(least, Number((event.target as HTMLInputElement).value) || least));
const asksParameters = computed(() => {
  const told = as("tool")?.tool.parameters;
  const properties = typeof told === "object" && told !== null ? (told as { properties?: object }).properties : undefined;
  return Object.keys(properties ?? (as("tool")?.tool.does?.kind === "sql" ? { query: 1 } : {}));
});
</script>

<template>
  <div class="flex flex-col" data-test="step-sheet">
    <div class="flex flex-col gap-2 border-b border-rule-soft px-gut py-2">
      <div class="grid grid-cols-[92px_1fr] items-center gap-x-3 gap-y-2">
        <span>Name</span>
        <TypedField class="field min-w-0" maxlength="80" :model-value="step.name" aria-label="Name" data-test="step-name" @update:model-value="set({ name: $event })" />
      </div>
      <ExprField :model-value="step.only_if ?? ''" label="Only if" hint="always, while this is empty" :fault="faultOf('only_if')" test="only-if" @update:model-value="set({ only_if: $event.trim() })" />
      <p v-for="fault in rest" :key="fault.message" class="text-sm" :class="fault.stops ? 'text-rust' : 'text-straw'" :role="fault.stops ? 'alert' : undefined" data-test="step-fault">{{ fault.message }}</p>
    </div>

    <AskFields v-if="step.kind === 'ask' || step.kind === 'vote'" :model-value="step" :name="name" :faults="faults" :asks="asks" :names="names"  :known="known" :talks="talks" @update:model-value="step = $event" @named="emit('named', $event)" />

    <div v-else class="flex flex-col gap-2 px-gut py-2">
      <template v-if="as('look_up')">
        <div class="grid grid-cols-[92px_1fr] items-center gap-x-3">
          <span>Collection</span>
          <select class="field max-w-60 px-1" :value="as('look_up')!.looking.collection" aria-label="Collection" data-test="step-collection" @change="setLooking({ collection: ($event.target as HTMLSelectElement).value, version: null })">
            <option v-if="!collections.data.value?.collections.some(({ name: each }) => each === as('look_up')!.looking.collection)" :value="as('look_up')!.looking.collection">{{ as("look_up")!.looking.collection || "choose…" }}</option>
            <option v-for="each in collections.data.value?.collections ?? []" :key="each.name" :value="each.name">{{ each.name }}</option>
          </select>
        </div>
        <LookUpSettings :model-value="as('look_up')!.looking" :can-mean="!!collections.data.value?.collections.find(({ name: each }) => each === as('look_up')!.looking.collection)?.embeds_with" @update:model-value="set({ looking: $event })" />
        <ExprField :model-value="as('look_up')!.question" label="Question" :fault="faultOf('question')" @update:model-value="set({ question: $event })" />
      </template>

      <template v-if="as('tool')">
        <div class="grid grid-cols-[92px_1fr] items-center gap-x-3">
          <span>Tool</span>
          <span class="flex items-center gap-3">
            <select class="field max-w-60 px-1" :value="as('tool')!.tool.kept ?? ''" aria-label="Tool" data-test="step-tool" @change="takeTool(($event.target as HTMLSelectElement).value)">
              <option value="">this step’s own</option>
              <option v-if="as('tool')!.tool.kept && !toolbox.data.value?.tools.some((each) => `${each.name}@${each.newest}` === as('tool')!.tool.kept)" :value="as('tool')!.tool.kept">{{ as("tool")!.tool.kept }}</option>
              <option v-for="each in toolbox.data.value?.tools ?? []" :key="each.name" :value="`${each.name}@${each.newest}`">{{ each.name }}@{{ each.newest }}</option>
            </select>
            <TypedField v-if="!as('tool')!.tool.kept" class="field w-40 font-mono text-sm" maxlength="64" :model-value="as('tool')!.tool.name" aria-label="Name of the tool" @update:model-value="set({ tool: { ...as('tool')!.tool, name: $event.trim() } })" />
          </span>
        </div>
        <WorkFields v-if="!as('tool')!.tool.kept" :model-value="as('tool')!.tool as Tool" @update:model-value="set({ tool: { ...as('tool')!.tool, ...$event } })" />
        <ExprRows :model-value="as('tool')!.arguments ?? {}" label="Arguments" :faults="faults" field="arguments" :names="asksParameters" add="another argument" @update:model-value="set({ arguments: $event })" />
      </template>

      <ExprRows v-if="as('set')" :model-value="as('set')!.writes" label="Works out" :faults="faults" field="writes" :names="names" add="another value" @update:model-value="set({ writes: $event })" @named="emit('named', $event)" />

      <template v-if="as('check')">
        <ExprField :model-value="as('check')!.of" label="Judges" :fault="faultOf('of')" @update:model-value="set({ of: $event })" />
        <ChecksField acts :model-value="as('check')!.checks" @update:model-value="set({ checks: $event })" />
        <label class="grid grid-cols-[92px_1fr] items-center gap-x-3"
          ><span>Else, if one fails</span>
          <select class="field w-52 px-1" :value="as('check')!.on_failure ?? 'record'" data-test="on-failure" @change="set({ on_failure: ($event.target as HTMLSelectElement).value })"><option value="record">write it down and go on</option><option value="halt">stop the chain</option></select></label
        >
      </template>

      <RouteFields v-if="step.kind === 'route'" :model-value="step" :faults="faults" :reads="known[0] ?? ''" :model="usual" @update:model-value="step = $event" />
      <CollectFields v-if="step.kind === 'collect'" :model-value="step" :faults="faults" @update:model-value="step = $event" />
      <SendFields v-if="step.kind === 'send'" :model-value="step" :faults="faults" :known="known" @update:model-value="step = $event" />

      <template v-if="as('repeat')">
        <ExprField :model-value="as('repeat')!.until" label="Until" :fault="faultOf('until')" test="until" @update:model-value="set({ until: $event })" />
        <label class="grid grid-cols-[92px_1fr] items-center gap-x-3"><span>At most</span><span><input class="field w-16" type="number" min="1" max="20" :value="as('repeat')!.most ?? 3" data-test="most-rounds" @input="set({ most: number($event, 1, 20) })" /> rounds</span></label>
        <ExprField :model-value="as('repeat')!.best ?? ''" label="Best by" hint="keeps the last round, while this is empty" :fault="faultOf('best')" @update:model-value="set({ best: $event })" />
      </template>

      <template v-if="as('each')">
        <ExprField :model-value="as('each')!.over" label="Over" hint="a list" :fault="faultOf('over')" @update:model-value="set({ over: $event })" />
        <div class="grid grid-cols-[92px_1fr] items-center gap-x-3"><span>Each is</span><span class="flex items-center gap-3"><TypedField class="field w-32 font-mono text-sm" :model-value="as('each')!.item ?? 'item'" aria-label="What each is called" @update:model-value="set({ item: $event.trim() })" /><input class="field w-14" type="number" min="1" max="16" :value="as('each')!.at_once ?? 4" aria-label="At once" @input="set({ at_once: number($event, 1, 16) })" /> at once</span></div>
        <ExprField :model-value="as('each')!.gives" label="Gives" hint="what comes of one" :fault="faultOf('gives')" @update:model-value="set({ gives: $event })" />
      </template>

      <template v-if="as('both')">
        <p class="text-ink-2">Each branch begins from the state as it is; what they write is joined, in this order.</p>
        <div v-for="(branch, i) in as('both')!.branches" :key="i" class="flex items-center gap-3">
          <TypedField lazy class="field h-7.5 w-40 text-sm" maxlength="40" :model-value="branch.name" aria-label="Name of the branch" @update:model-value="putBranch(i, $event.trim() || branch.name)" />
          <button v-if="as('both')!.branches.length > 2" type="button" class="link text-xs" @click="set({ branches: as('both')!.branches.filter((_, other) => other !== i) })">remove</button>
        </div>
        <p><button type="button" class="link text-sm" @click="set({ branches: [...as('both')!.branches, { name: `branch ${as('both')!.branches.length + 1}`, steps: [{ kind: 'set', name: `${step.name} ${as('both')!.branches.length + 1}`, writes: {} }] }] })">another branch</button></p>
      </template>

      <template v-if="as('pause')">
        <p class="text-ink-2">A person sees this before it goes on, and approves, edits or refuses.</p>
        <ExprRows :model-value="as('pause')!.shows ?? {}" label="Shows" :faults="faults" field="shows" :names="known" add="another thing" @update:model-value="set({ shows: $event })" />
        <label class="grid grid-cols-[92px_1fr] items-center gap-x-3"
          ><span>May edit</span>
          <select class="field w-44 px-1" :value="as('pause')!.edits ?? ''" data-test="pause-edits" @change="set({ edits: ($event.target as HTMLSelectElement).value })"><option value="">nothing</option><option v-for="each in names" :key="each" :value="each">{{ each }}</option></select></label
        >
        <div class="grid grid-cols-[92px_1fr] items-center gap-x-3"><span>Waits</span><span class="flex items-center gap-2"><input class="field w-18" type="number" min="0.1" max="2000" step="0.5" :value="as('pause')!.hours ?? 72" aria-label="Hours" @change="set({ hours: number($event, 0.01, 2000) })" /> hours, then <select class="field px-1" :value="as('pause')!.then ?? 'refuse'" aria-label="Then" @change="set({ then: ($event.target as HTMLSelectElement).value })"><option value="refuse">it is refused</option><option value="approve">it is approved</option></select></span></div>
        <div class="grid grid-cols-[92px_1fr] items-center gap-x-3"><span>If refused</span><span class="flex items-center gap-2"><select class="field px-1" :value="as('pause')!.on_refusal ?? 'halt'" aria-label="If refused" @change="set({ on_refusal: ($event.target as HTMLSelectElement).value })"><option value="halt">the walk ends</option><option value="go_on">it goes on</option></select> in trials it is <select class="field px-1" :value="as('pause')!.in_trials ?? 'approve'" aria-label="In trials" @change="set({ in_trials: ($event.target as HTMLSelectElement).value })"><option value="approve">approved</option><option value="refuse">refused</option></select></span></div>
      </template>

      <template v-if="as('call')">
        <label class="grid grid-cols-[92px_1fr] items-center gap-x-3"
          ><span>Chain</span>
          <select class="field max-w-60 px-1" :value="as('call')!.kept ?? ''" data-test="step-chain" @change="takeChain(($event.target as HTMLSelectElement).value)">
            <option value="">choose…</option>
            <option v-if="as('call')!.kept && !chains.some((each) => `${each.name}@${each.versions}` === as('call')!.kept)" :value="as('call')!.kept">{{ as("call")!.kept }}</option>
            <option v-for="each in chains" :key="each.name" :value="`${each.name}@${each.versions}`">{{ each.name }}@{{ each.versions }}</option>
          </select></label
        >
        <ExprRows :model-value="as('call')!.given ?? {}" label="Is given" :faults="faults" field="given" :names="asks" @update:model-value="set({ given: $event })" />
      </template>

      <WritesField
        v-if="step.kind === 'look_up' || step.kind === 'tool' || step.kind === 'each' || step.kind === 'check' || step.kind === 'pause' || step.kind === 'call' || step.kind === 'collect' || step.kind === 'send'"
        :model-value="step.writes ?? ''"
        :names="names"
        :faults="faults"
        :many="step.kind === 'call'"
        :over="step.kind === 'call' ? Object.keys(step.chain.outputs ?? {}).join(', ') : ''"
        :what="({ look_up: 'the passages', tool: 'what it says', each: 'the results', check: 'what failed', pause: 'what was said', call: 'its outputs', collect: 'the facts', send: 'what was answered' } as Record<string, string>)[step.kind]!"
        @update:model-value="set({ writes: $event })"
        @named="emit('named', $event)"
      />
    </div>
    <div class="grid grid-cols-[92px_1fr] items-center gap-x-3 border-t border-rule-soft px-gut pt-2">
      <span>Limits</span>
      <span class="flex flex-wrap items-center gap-x-3 gap-y-1">
        <label v-if="['ask', 'vote', 'collect', 'tool', 'look_up', 'send'].includes(step.kind) || (step.kind === 'route' && step.chooser)" class="flex items-center gap-1.5"><TypedField lazy class="field h-7.5 w-12" inputmode="numeric" :model-value="step.retries ?? 0" aria-label="Tried again at most" data-test="retries" @update:model-value="set({ retries: Math.min(5, Math.max(0, Math.round(Number($event)) || 0)) })" /> more tries</label>
        <label class="flex items-center gap-1.5"><TypedField lazy class="field h-7.5 w-14" inputmode="decimal" placeholder="–" :model-value="step.seconds ?? ''" aria-label="Seconds at most" data-test="seconds" @update:model-value="set({ seconds: Number($event) > 0 ? Number($event) : null })" /> s</label>
        <label class="flex items-center gap-1.5"><TypedField lazy class="field h-7.5 w-14" inputmode="decimal" placeholder="–" :model-value="step.cents ?? ''" aria-label="Cents at most" data-test="cents" @update:model-value="set({ cents: Number($event) > 0 ? Number($event) : null })" /> ¢ at most</label>
      </span>
    </div>
    <div class="grid grid-cols-[92px_1fr] items-start gap-x-3 px-gut py-2">
      <span class="pt-1.25">Note</span>
      <TypedField lines class="field field-sizing-content max-h-30 w-full resize-none font-serif" :model-value="step.note ?? ''" :placeholder="`why there is this ${titleOf(step.kind).toLowerCase()}`" aria-label="Note" @update:model-value="set({ note: $event })" />
    </div>
  </div>
</template>
