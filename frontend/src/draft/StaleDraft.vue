<script setup lang="ts">
/** Two people edited: what each changed, part by part; what both changed is chosen. */
import { computed, ref } from "vue";

import { type Content, kindOf } from "./kinds";
import { type Side, usual } from "./merge";
import { lines, words } from "./versions/compare";

const props = defineProps<{ base: Content; yours: Content; theirs: Content }>();
const emit = defineEmits<{ settle: [content: Content] }>();
const chosen = ref<Record<string, Side>>({});
const all = computed(() => kindOf(props.yours).pieces(props.base, props.yours, props.theirs));
const differing = computed(() => all.value.filter((each) => each.changed !== null));
const both = computed(() => differing.value.filter((each) => each.changed === "both"));
const sideOf = (key: string): Side => {
  const found = all.value.find((each) => each.key === key);
  return chosen.value[key] ?? (found ? usual(found) : "mine");
};
const SIDES: { side: Side; title: string }[] = [
  { side: "mine", title: "yours" },
  { side: "theirs", title: "the other" },
];
const WHO = { mine: "you changed it", theirs: "the other changed it", both: "both changed it" };

function settle(side?: Side): void {
  const content = side === undefined ? kindOf(props.yours).merged(props.yours, props.theirs, sideOf) : side === "mine" ? props.yours : props.theirs;
  emit("settle", content);
}
</script>

<template>
  <section class="flex max-h-[60%] flex-col border-b border-straw bg-straw-wash p-4" role="alert" data-test="stale">
    <p class="font-semibold text-straw">The draft was changed elsewhere while you edited. Nothing was overwritten.</p>
    <p class="text-sm">
      {{ both.length ? `You both changed ${both.length === 1 ? "one place" : `${both.length} places`}: choose for each.` : "You changed different places, so both can stand." }}
    </p>
    <ul class="mt-2 min-h-0 flex-1 overflow-auto bg-sheet px-3">
      <li v-for="each in differing" :key="each.key" class="border-b border-rule-soft py-2" data-test="merge-piece">
        <p class="flex items-baseline gap-3">
          <span class="min-w-0 flex-1 truncate font-semibold">{{ each.title }}</span>
          <span class="caption">{{ WHO[each.changed!] }}; take</span>
          <label v-for="{ side, title } in SIDES" :key="side" class="flex items-center gap-1 text-sm">
            <input type="radio" class="accent-kelp" :name="each.key" :checked="sideOf(each.key) === side" :data-test="`take-${side}`" @change="chosen[each.key] = side" />
            {{ title }}
          </label>
        </p>
        <p class="mt-1 max-h-24 overflow-auto font-serif text-base break-words whitespace-pre-wrap">
          <template v-for="(word, at) in (each.isPart ? words : lines)(each.mine ?? '', each.theirs ?? '')" :key="at"
            ><del v-if="word.kind === 'gone'" class="bg-slate-wash no-underline" title="only in yours">{{ word.text }}</del
            ><ins v-else-if="word.kind === 'new'" class="bg-kelp-wash no-underline" title="only in the other">{{ word.text }}</ins
            ><template v-else>{{ word.text }}</template></template
          >
        </p>
      </li>
    </ul>
    <div class="mt-3 flex items-center gap-2">
      <button type="button" class="button button-main" data-test="settle-merged" @click="settle()">Keep this mixture</button>
      <button type="button" class="button" data-test="settle-mine" @click="settle('mine')">All yours</button>
      <button type="button" class="button" data-test="settle-theirs" @click="settle('theirs')">All the other’s</button>
      <span class="caption"><span class="bg-slate-wash px-1">only in yours</span> <span class="bg-kelp-wash px-1">only in the other</span></span>
    </div>
  </section>
</template>
