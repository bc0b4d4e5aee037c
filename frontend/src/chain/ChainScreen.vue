<script setup lang="ts">
/** The draft of a chain: ladder and ledger, the chosen step beside them, and walks of it. */
import { computed, defineAsyncComponent, nextTick, onBeforeUnmount, onMounted, provide, ref, useTemplateRef, watch } from "vue";
import { useRoute } from "vue-router";
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/vue";

import { useWalkChanges, useWalks } from "@/api/chains";
import { useVersions } from "@/api/subjects";
import { cheapestAndDearest, useModels } from "@/api/models";
import { messageOf } from "@/api/client";
import type { Chain } from "@/api/schema";
import { useStale } from "@/api/stale";
import { CHANGE } from "@/draft/change";
import { isTyping, useKeys } from "@/frame/keys";
import { complain, say } from "@/frame/notices";
import { cents, count } from "@/marks/format";
import { keptPiece, pieceOf } from "./cutting";
import LadderLedger from "./LadderLedger.vue";
import StepSheet from "./StepSheet.vue";
import * as ops from "./steps";
import { type Kind, KINDS, type Path, rungsOf, type Step, stepOfPlace } from "./steps";
import { useChain } from "./useChain";
import StepInWalk from "./walk/StepInWalk.vue";
import { useWalk } from "./walk/useWalk";
import WalkTalk from "./walk/WalkTalk.vue";
import WalkPane from "./walk/WalkPane.vue";
import WholeSheet from "./WholeSheet.vue";

const YamlSheet = defineAsyncComponent(() => import("./YamlSheet.vue"));
const SaveVersion = defineAsyncComponent(() => import("@/draft/SaveVersion.vue"));
const StaleDraft = defineAsyncComponent(() => import("@/draft/StaleDraft.vue"));
const CompareWalks = defineAsyncComponent(() => import("./walk/CompareWalks.vue"));
const DescribeChain = defineAsyncComponent(() => import("./DescribeChain.vue"));
const ChainVersions = defineAsyncComponent(() => import("./ChainVersions.vue"));

const name = String(useRoute().params.name);
const draft = useChain(name);
const { content, facts, status, keptAs, error, theirs, base } = draft;
const versions = useVersions(computed(() => name));
const models = useModels();
const walks = useWalks(computed(() => name));
const walkChanges = useWalkChanges();
const stale = useStale();

const chosen = ref("1");
const asYaml = ref(false);
const tab = ref<"setup" | "walk" | "talk">("setup");
const naming = ref(false);
const saving = ref(false);
const comparing = ref(false);
const listing = ref(false);
const describing = ref(false);
/** A menu keeps what was typed in it once something is taken by Enter: each time another one. */
const added = ref(0);
const adding = useTemplateRef<{ $el: HTMLElement }>("adding");
const pane = useTemplateRef<{ begin: () => Promise<void> }>("pane");
const sheetHost = useTemplateRef<HTMLElement>("sheetHost");

const rungs = computed(() => (content.value ? rungsOf(content.value.steps) : []));
const rung = computed(() => rungs.value.find(({ at }) => at === chosen.value) ?? null);
const step = computed(() => rung.value?.step ?? null);
const row = computed(() => facts.rows.find(({ at }) => at === chosen.value));
const stepFaults = computed(() => facts.faults.filter(({ at }) => at === chosen.value));
const stops = computed(() => facts.faults.filter((fault) => fault.stops));
const nextNumber = computed(() => (versions.data.value?.[0]?.number ?? 0) + 1);
const savable = computed(() => facts.edited || facts.baseVersion === null || status.value === "CHANGED");
const blocked = computed(() => {
  if (facts.misread) return "The YAML can’t be read yet.";
  const fault = stops.value[0];
  return status.value === "REFUSED" ? error.value : fault ? `${fault.at ? `Step ${fault.at}: ` : ""}${fault.message}` : "";
});
const title = computed(() => (facts.baseVersion === null ? "Draft, no version yet" : facts.edited || status.value === "CHANGED" ? `Draft after v${facts.baseVersion}` : `Draft, same as v${facts.baseVersion}`));

/** Whether somebody talks with it. */
const converses = computed(() => !!content.value?.talk || rungs.value.some(({ step: each }) => each?.kind === "collect"));
const comparesOnceOver = ref<number | null>(null);
/** The walk that is looked at, and the place in it. */
const walkId = ref<number | null>(null);
const { page: walk, steps: walkSteps, look } = useWalk(walkId, () => void walkChanges.over(name));
/** Also where it is over at the first look. */
watch(walk, (found) => {
  if (!found?.over || found.id !== comparesOnceOver.value) return;
  comparesOnceOver.value = null;
  comparing.value = true;
});
/** Words that are waited for are asked for at once, as when one comes from the desk. */
watch(
  () => walk.value?.pauses.find(({ kind, word }) => kind === "talk" && word === null)?.walk,
  (waits, before) => waits !== undefined && waits !== before && converses.value && (tab.value = "talk"),
);
const walkAt = ref("");
const walkStep = computed(() => walkSteps.value.find(({ at }) => at === walkAt.value) ?? null);
/** Where a place of the walk stands in the chain: a step that is walked alone stands where it was taken from. */
const placeOf = (at: string) => (walk.value?.alone ? [stepOfPlace(walk.value.from_step), ...stepOfPlace(at).split(".").slice(1)].join(".") : stepOfPlace(at));
const walked = computed(() => new Set(walkSteps.value.filter((each) => !each.running && !each.passed_over).map(({ at }) => placeOf(at))));
const running = computed(() => new Set(walkSteps.value.filter((each) => each.running).map(({ at }) => placeOf(at))));
watch(walkId, () => (walkAt.value = ""));
/** While it goes on, what is looked at goes with it. */
watch(
  () => walkSteps.value.findLast((each) => each.running && each.kind !== "repeat")?.at,
  (at) => at && walk.value && !walk.value.over && tab.value === "walk" && choosePlace(at),
);
function openWalk(id: number | null): void {
  walkId.value = id;
}
function openBegun(id: number, compare = false): void {
  walkId.value = id;
  comparesOnceOver.value = compare ? id : null;
  tab.value = converses.value ? "talk" : "walk";
}
function choosePlace(at: string): void {
  walkAt.value = at;
  tab.value = "walk";
  const place = placeOf(at);
  if (rungs.value.some((each) => each.at === place)) chosen.value = place;
}
function choose(at: string): void {
  chosen.value = at;
  tab.value = "setup";
  const there = walkSteps.value.filter((each) => placeOf(each.at) === at);
  walkAt.value = there.at(-1)?.at ?? "";
}

/** Do something to the chain; `how` says where the chosen step stands after it, where that is another place. */
function edit(told: string, how: (chain: Chain) => Path | null): void {
  const chain = content.value;
  if (!chain) return;
  const went: (Path | null)[] = [];
  draft.change(told, () => went.push(how(chain)));
  if (went[0]) chosen.value = atOf(went[0]);
}
const atOf = (path: Path) => rungs.value.find((each) => each.step && each.path.join("/") === path.join("/"))?.at ?? chosen.value;
function put(next: Step): void {
  const at = rung.value;
  if (!content.value || !at) return;
  const holder = at.path.slice(0, -1).reduce<unknown>((value, key) => (value as Record<string | number, unknown>)[key], content.value) as Step[];
  holder[Number(at.path.at(-1))] = next;
}
/** A value that a step writes and the state has not yet is made. */
function ensure(value: string): void {
  const chain = content.value;
  if (!chain || !/^[A-Za-z_]\w*$/.test(value) || [...(chain.state ?? []), ...(chain.inputs ?? [])].some((each) => each.name === value)) return;
  chain.state = [...(chain.state ?? []), { name: value }];
}
function add(kind: Kind): void {
  const model = cheapestAndDearest(models.data.value?.models ?? [])[0]?.name ?? "";
  edit("", (chain) => {
    const inside = rung.value && !rung.value.step;
    const before = rung.value?.path ?? ["steps", chain.steps.length - 1];
    const blank = ops.blankStep(chain, kind, model, inside ? [...before, 0] : [...before.slice(0, -1), Number(before.at(-1)) + 1]);
    if (!chain.state?.length && "writes" in blank && typeof blank.writes === "string") chain.state = [{ name: blank.writes }];
    return ops.addAfter(chain, rung.value?.path ?? null, blank, !!inside);
  });
  tab.value = "setup";
  added.value += 1;
  void nextTick(() => sheetHost.value?.querySelector<HTMLInputElement>("input")?.focus());
}
function move(by: 1 | -1): void {
  const at = rungs.value.findIndex((each) => each.at === chosen.value);
  const next = rungs.value[Math.min(Math.max(at + by, 0), rungs.value.length - 1)];
  if (next) choose(next.at);
}
const act = {
  up: () => step.value && edit("", (chain) => ops.moveStep(chain, rung.value!.path, -1)),
  down: () => step.value && edit("", (chain) => ops.moveStep(chain, rung.value!.path, 1)),
  loop: () => step.value && edit(`“${step.value.name}” is in a loop now.`, (chain) => (ops.wrapInLoop(chain, rung.value!.path), null)),
  branch: () => step.value && edit(`“${step.value.name}” is one of two ways now.`, (chain) => (ops.wrapInRoute(chain, rung.value!.path), null)),
  double: () => step.value && edit("", (chain) => ops.doubleStep(chain, rung.value!.path)),
  remove: () => step.value && edit(`“${step.value.name}” is gone from the chain.`, (chain) => (ops.removeStep(chain, rung.value!.path), null)),
};

/** Into a chain of its own, kept as a subject, that this one calls. */
async function cutOut(): Promise<void> {
  if (!step.value || !(await draft.keep()) || !content.value) return;
  const { path, at } = rung.value!;
  try {
    const call = await keptPiece(name, pieceOf(content.value, step.value, at, facts.rows));
    edit(`“${call.name}” is ${(call as { kept?: string }).kept} now, which this chain calls.`, (chain) => (ops.replaceStep(chain, path, call), null));
    await stale.desk();
  } catch (wrong) {
    complain(messageOf(wrong));
  }
}

async function save(note: string): Promise<void> {
  saving.value = true;
  const saved = await draft.saveVersion(note);
  saving.value = false;
  if (!saved) return;
  naming.value = false;
  say(saved.isNew ? `Saved as v${saved.number}.` : `Nothing differs from v${saved.number}, so no version was made.`);
}
async function walkIt(): Promise<void> {
  if (!(await draft.keep()) && status.value !== "KEPT") return;
  await pane.value?.begin();
}
function openSheet(): void {
  tab.value = "setup";
  void nextTick(() => sheetHost.value?.querySelector<HTMLInputElement>("input")?.focus());
}
function onKey(event: KeyboardEvent): void {
  const key = event.key.toLowerCase();
  const dialog = !!document.querySelector('[role="dialog"]');
  if ((event.ctrlKey || event.metaKey) && !event.altKey && (key === "z" || key === "y") && !dialog) {
    if (isTyping(event.target) && !(event.target as HTMLElement).closest("[data-undo='draft']")) return;
    event.preventDefault();
    event.stopPropagation();
    if (key === "y" || event.shiftKey) draft.redo();
    else draft.undo();
  } else if (event.altKey && (key === "arrowup" || key === "arrowdown") && !isTyping(event.target) && !dialog) {
    event.preventDefault();
    if (key === "arrowup") act.up();
    else act.down();
  }
}
onMounted(() => window.addEventListener("keydown", onKey, true));
onBeforeUnmount(() => window.removeEventListener("keydown", onKey, true));
provide(CHANGE, draft.change);
async function openMenu(): Promise<void> {
  added.value += 1;
  await nextTick();
  adding.value?.$el.click();
}
useKeys([
  { keys: { j: () => move(1), k: () => move(-1), arrowdown: () => move(1), arrowup: () => move(-1) }, shown: ["J", "K"], label: "step" },
  { keys: { enter: openSheet }, shown: ["Enter"], label: "edit it" },
  { keys: { a: () => void openMenu() }, shown: ["A"], label: "add" },
  { keys: {}, shown: ["Alt ↑", "Alt ↓"], label: "move" },
  { keys: { l: act.loop, b: act.branch, d: act.double, x: act.remove }, shown: ["L", "B", "D", "X"], label: "loop, branch, double, remove" },
  { keys: { "ctrl+enter": () => void walkIt() }, shown: ["Ctrl ↵"], label: "walk" },
  { keys: { y: () => (asYaml.value = !asYaml.value) }, shown: ["Y"], label: "YAML" },
  { keys: { "ctrl+s": () => (naming.value = true) }, shown: ["Ctrl S"], label: "save version" },
  { keys: { v: () => (listing.value = true) }, shown: ["V"], label: "versions" },
  { keys: { e: () => (describing.value = true) }, shown: ["E"], label: "describe" },
  { keys: { w: () => (chosen.value = "") }, shown: ["W"], label: "the whole" },
]);
const likely = computed(() => (facts.takes ? `${count(Math.round(facts.takes.likely.calls), "call")}, ${cents(facts.takes.likely.cents)} a walk` : ""));
const stepTitle = computed(() => (tab.value === "talk" && walk.value && converses.value ? `The talk of walk ${walk.value.id}` : walkStep.value && tab.value === "walk" ? `Step ${walkAt.value}, ${walkStep.value.name}` : step.value ? `Step ${chosen.value}, ${step.value.name}` : rung.value ? `The way “${rung.value.head}”` : "The whole chain"));
</script>

<template>
  <main class="flex min-h-0 flex-1 gap-3 px-edge py-3">
    <section class="panel flex w-[53%] min-w-120 flex-col" aria-label="Steps" @focusin="draft.history.seal()">
      <header class="flex items-center gap-2 border-b border-rule px-4 py-head">
        <span class="min-w-0 flex-1"
          ><span class="block truncate font-semibold" data-test="draft-title">{{ title }}</span
          ><span class="caption block truncate" :class="{ 'text-straw': status === 'AWAY' || status === 'STALE' || facts.misread }" data-test="kept">{{ [keptAs, likely].filter(Boolean).join(" · ") || " " }}</span></span
        >
        <Menu :key="added" as="div" class="relative">
          <MenuButton ref="adding" class="button" data-test="add-step">Add a step</MenuButton>
          <MenuItems class="absolute right-0 z-30 mt-1 max-h-100 w-80 overflow-auto border border-ink-3 bg-sheet py-1 outline-none">
            <MenuItem v-for="kind in KINDS" :key="kind.kind" v-slot="{ active }"><button type="button" class="flex w-full items-baseline gap-3 px-3 py-1 text-left" :class="active ? 'bg-kelp-wash' : ''" :data-test="`new-${kind.kind}`" @click="add(kind.kind)"><span class="w-16 shrink-0 font-medium">{{ kind.title }}</span><span class="caption truncate">{{ kind.does }}</span></button></MenuItem>
            <MenuItem v-slot="{ active }"><button type="button" class="mt-1 flex w-full items-baseline gap-3 border-t border-rule-soft px-3 pt-2 pb-1 text-left" :class="active ? 'bg-kelp-wash' : ''" data-test="describe-chain" @click="describing = true"><span class="w-16 shrink-0 font-medium">Describe</span><span class="caption truncate">the work; a model writes the chain</span></button></MenuItem>
          </MenuItems>
        </Menu>
        <button type="button" class="button" :aria-pressed="asYaml" data-test="yaml" @click="asYaml = !asYaml">{{ asYaml ? "Steps" : "YAML" }}</button>
        <button type="button" class="button" data-test="versions" @click="listing = true">Versions</button>
        <button type="button" class="button" :class="savable ? 'button-main' : ''" :disabled="!content || !!blocked || !savable" :title="savable ? blocked : 'The draft is the same as the version'" data-test="save-version" @click="naming = true">Save as v{{ nextNumber }}</button>
      </header>
      <StaleDraft v-if="theirs && content && base" :base="base" :yours="content" :theirs="theirs" @settle="draft.settle($event as Chain)" />
      <div v-if="!content" class="flex flex-col gap-3 p-5">
        <template v-if="error"><p class="text-rust" role="alert">{{ error }}</p><button type="button" class="button self-start" @click="draft.reload">Try again</button></template>
        <div v-for="n in error ? 0 : 5" :key="n" class="h-10 bg-paper" role="status" aria-label="Loading"></div>
      </div>
      <YamlSheet v-else-if="asYaml" :draft="draft" />
      <template v-else>
        <LadderLedger :chain="content" :rows="facts.rows" :faults="facts.faults" :chosen="chosen" :walked="walked" :running="running" @choose="choose" @open="choose($event), openSheet()" @menu="choose" />
        <footer class="flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-rule-soft px-4 py-1.5 text-sm">
          <button type="button" class="link" :class="chosen === '' ? 'font-semibold' : ''" data-test="whole" @click="choose('')">the whole: inputs, state, outputs</button>
          <span class="flex-1"></span>
          <template v-if="step"
            ><button type="button" class="link" data-test="loop-step" @click="act.loop">put in a loop</button><button type="button" class="link" data-test="branch-step" @click="act.branch">branch</button><button type="button" class="link" title="Into a chain of its own, which this one calls" data-test="cut-step" @click="cutOut">cut out</button><button type="button" class="link" @click="act.double">double</button><button type="button" class="link" aria-label="Move up" @click="act.up">up</button><button type="button" class="link" aria-label="Move down" @click="act.down">down</button><button type="button" class="link" data-test="remove-step" @click="act.remove">remove</button></template
          >
        </footer>
      </template>
    </section>

    <div class="flex min-w-0 flex-1 flex-col gap-3">
      <WalkPane v-if="content" ref="pane" :name="name" :chain="content" :blocked="blocked" :walk="walk" :steps="walkSteps" :chosen="walkAt" @choose="choosePlace" @open="openWalk" @begun="openBegun" @look="look" @compare="comparing = true" />
      <section v-if="content" class="panel flex min-h-0 flex-1 flex-col" :aria-label="stepTitle">
        <header class="flex items-center gap-3 border-b border-rule px-gut py-2">
          <b class="min-w-0 flex-1 truncate font-semibold" data-test="step-title">{{ stepTitle }}</b>
          <span v-if="(step || converses) && walk" class="flex gap-3 text-sm" role="group" aria-label="What is shown of it">
            <button v-if="converses" type="button" :class="tab === 'talk' ? 'font-semibold' : 'link'" :aria-pressed="tab === 'talk'" data-test="tab-talk" @click="tab = 'talk'">the talk</button>
            <button type="button" :class="tab === 'setup' ? 'font-semibold' : 'link'" :aria-pressed="tab === 'setup'" data-test="tab-setup" @click="tab = 'setup'">as it is set up</button>
            <button type="button" :class="tab === 'walk' ? 'font-semibold' : 'link'" :aria-pressed="tab === 'walk'" data-test="tab-walk" @click="tab = 'walk'">in the walk</button>
          </span>
        </header>
        <div ref="sheetHost" class="min-h-0 flex-1 overflow-auto" tabindex="0" role="group" :aria-label="stepTitle">
          <WalkTalk v-if="tab === 'talk' && walk && converses" :walk="walk" :steps="walkSteps" :chain="content" @said="look" />
          <template v-else-if="tab === 'walk' && walk">
            <StepInWalk v-if="walkStep" :walk="walk" :step="walkStep" :chain="content" :edited="true" @begun="openBegun" />
            <p v-else class="p-gut text-ink-2">{{ walk.over ? "The walk did not come to this step." : "The walk has not come to this step yet." }} Choose a bar above.</p>
          </template>
          <StepSheet v-else-if="step && rung" :key="chosen" :model-value="step" :name="name" :at="chosen" :chain="content" :faults="stepFaults" :asks="row?.asks ?? []" @update:model-value="put" @named="ensure" />
          <p v-else-if="rung" class="p-gut text-ink-2">{{ rung.when ? `It is taken ${rung.when}.` : rung.head === "otherwise" ? "It is taken where no other way is." : "It goes on beside the others." }} Add a step here with A; the ways themselves are set up in step {{ rung.at.split(".").slice(0, -1).join(".") }}.</p>
          <WholeSheet v-else v-model="content" :faults="facts.faults" :takes="facts.takes" />
        </div>
      </section>
      <div v-else class="panel flex-1"></div>
    </div>
  </main>
  <SaveVersion :open="naming" :next="nextNumber" :busy="saving" @close="naming = false" @save="save" />
  <CompareWalks v-if="walk && comparing" :open="comparing" :walk="walk" :walks="walks.data.value?.pages.flatMap((page) => page.walks) ?? []" @close="comparing = false" />
  <DescribeChain v-if="content && describing" :open="describing" :name="name" @close="describing = false" @take="draft.change('The draft now reads as it was proposed.', () => (content = $event)), (describing = false), choose('1')" />
  <ChainVersions v-if="content && listing" :open="listing" :name="name" :draft="content" @close="listing = false" @bring="draft.change('The draft now reads as that version.', () => (content = $event)), (listing = false)" />
</template>
