<script setup lang="ts">
/** What a case is paired with, either way, and what variations would make of it. */
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { useCasePairs } from "@/api/cases";
import type { CasePage, CheckUse, ReplyShape } from "@/api/schema";
import { useKeys } from "@/frame/keys";
import { count } from "@/marks/format";
import ChangeLines from "./ChangeLines.vue";
import MakePair from "./MakePair.vue";
import { isVariation, moveInWords } from "./moves";

const props = defineProps<{ name: string; page: CasePage; checks: CheckUse[] | null; reply?: ReplyShape }>();
defineEmits<{ edit: [field: string] }>();
const router = useRouter();
const pairs = useCasePairs(computed(() => props.name), computed(() => props.page.number));
const making = ref(false);
const original = computed(() => pairs.data.value?.original ?? null);
const paired = computed(() => pairs.data.value?.paired ?? []);
const variations = computed(() => pairs.data.value?.variations ?? []);
const inputs = computed(() => props.page.content.inputs ?? {});
const moves = computed(() => props.page.content.pair?.moves ?? []);
const unjudged = computed(() => props.checks !== null && !props.checks.some((use) => use.check === "outcome.moves"));
const at = (number: number) => ({ name: "cases", params: { name: props.name, number } });
function made(number: number): void {
  making.value = false;
  void router.push(at(number));
}
useKeys([{ keys: { p: () => (making.value = true) }, shown: ["P"], label: "pair the case" }]);
</script>

<template>
  <section aria-label="Pairs" data-test="pairs">
    <h3 class="caption flex items-baseline gap-3 border-b border-rule-soft pb-1">
      <span class="flex-1">What must change its answer, and what must not</span>
      <button type="button" class="link" data-test="make-a-pair" @click="making = true">Change one thing</button>
    </h3>
    <div v-if="original" class="border-b border-rule-soft py-1">
        <p>
          It is <RouterLink class="link" :to="at(original.number)">case {{ original.number }}</RouterLink> {{ isVariation(page.content.pair) ? `in another form (${page.content.pair!.kind})` : "with a change" }}<template v-if="original.deleted">
            <span class="text-straw">, which is put away: the pair can’t be judged</span></template
          >:
        </p>
        <div class="pl-4"><ChangeLines :was="original.inputs" :now="inputs" /></div>
        <p v-if="moves.length" role="button" tabindex="0" class="flex cursor-text gap-2" data-test="must-move" @click="$emit('edit', 'moves')" @keydown.enter.prevent="$emit('edit', 'moves')">
          <span class="flex-1">Against the answer to it, {{ moves.map(moveInWords).join(", ") }}.</span>
          <RouterLink v-if="unjudged" class="link text-sm text-straw" :to="{ name: 'checks', params: { name } }" @click.stop>no check judges this</RouterLink>
        </p>
        <p v-else-if="isVariation(page.content.pair)">Its answer must be the same.</p>
        <p v-else class="text-straw">It is not said how the answer must move. <button type="button" class="link" @click="$emit('edit', 'moves')">Say it</button></p>
    </div>
    <div v-for="each in paired" :key="each.number" class="border-b border-rule-soft py-1" data-test="paired">
      <p><RouterLink class="link" :to="at(each.number)">Case {{ each.number }}</RouterLink> changes<template v-if="each.pair?.moves?.length">, and {{ each.pair.moves.map(moveInWords).join(", ") }}</template>:</p>
      <div class="pl-4"><ChangeLines :was="inputs" :now="each.inputs" /></div>
    </div>
    <details v-if="variations.length" class="py-1" data-test="variations">
      <summary class="cursor-pointer text-ink-2">{{ count(variations.length, "variation") }} a trial can ask beside it, if its plan says so: the answer must stay the same</summary>
      <div v-for="each in variations" :key="each.kind" class="grid grid-cols-[110px_1fr] gap-x-3 border-t border-rule-soft py-1">
        <span class="caption pt-0.5">{{ each.kind }}</span>
        <div><ChangeLines :was="inputs" :now="{ ...inputs, ...each.inputs }" /></div>
      </div>
    </details>
    <MakePair :open="making" :name="name" :page="page" :reply="reply" @close="making = false" @made="made" />
  </section>
</template>
