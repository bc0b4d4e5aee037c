<script setup lang="ts">
import { computed, ref, useTemplateRef } from "vue";
import { useRoute, useRouter } from "vue-router";

import { useCase, useCaseChanges } from "@/api/cases";
import { messageOf } from "@/api/client";
import { fetchAsked } from "@/api/subjects";
import type { CasePage, ReplyShape } from "@/api/schema";
import { labelsOf } from "@/draft/reply/labels";
import { useKeys } from "@/frame/keys";
import { complain, say } from "@/frame/notices";
import CaseSheet from "./CaseSheet.vue";
import { blankCase } from "./editing";
import CaseReview from "./review/CaseReview.vue";
import ImportCases from "./importing/ImportCases.vue";
import CaseList from "./list/CaseList.vue";

const route = useRoute();
const router = useRouter();
const name = computed(() => String(route.params.name));
const changes = useCaseChanges(() => name.value);
const adding = ref(false);
const bringing = ref(false);
/** What is worth a look stands in the place of the case. */
const reviewing = ref(false);
const number = computed(() => (route.params.number ? Number(route.params.number) : null));
const open = useCase(name, number);
const list = useTemplateRef<{ kept: number; pending: boolean; narrow: (find: string) => void }>("list");
const none = computed(() => !!list.value && !list.value.pending && list.value.kept === 0);

const at = (which?: number) => ({ name: "cases", params: { name: name.value, number: which } });
function show(which: number): void {
  adding.value = reviewing.value = false;
  void router.push(at(which));
}

const reply = ref<ReplyShape>();
const labels = computed(() => (reply.value ? labelsOf(reply.value) : []));
const inputNames = ref<string[]>(["message"]);
void fetchAsked(name.value).then((asked) => {
  reply.value = asked.reply;
  if (asked.inputs.length) inputNames.value = asked.inputs;
}, () => undefined);
const blank = computed(() => blankCase(inputNames.value));

async function setAway(page: CasePage, away: boolean): Promise<void> {
  try {
    const after = await changes.setAway(page.number, page.revision, away);
    if (!away) return;
    say(`Case ${page.number} is put away.`, () => void setAway(after, false));
    await router.replace(at());
  } catch (error) {
    complain(messageOf(error));
  }
}
async function saved(page: CasePage): Promise<void> {
  adding.value = false;
  if (page.number !== number.value) await router.push(at(page.number));
}

useKeys([
  { keys: { a: () => (adding.value = true) }, shown: ["A"], label: "add a case" },
  { keys: { w: () => (reviewing.value = !reviewing.value) }, shown: ["W"], label: "worth a look" },
  { keys: { b: () => (bringing.value = true) }, shown: ["B"], label: "bring in a file" },
]);
</script>

<template>
  <main class="flex min-h-0 flex-1 gap-3 px-edge py-3">
    <CaseList :key="name" ref="list" :name="name" :number="number" :busy="adding" @show="show" @first="router.replace(at($event))" @add="adding = true" @bring="bringing = true" @review="reviewing = !reviewing" />
    <section class="panel flex min-w-0 flex-[2] flex-col">
      <CaseReview v-if="reviewing && !adding" :name="name" @close="reviewing = false" @narrow="list?.narrow($event)" @show="show" />
      <CaseSheet
        v-else-if="adding || (none && number === null)"
        :key="`new ${inputNames.join(' ')} ${adding}`"
        :typing="adding"
        :name="name"
        :page="blank"
        :labels="labels"
        :reply="reply"
        @saved="saved"
        @cancel="adding = false"
      />
      <CaseSheet
        v-else-if="open.data.value && open.data.value.number === number && !open.data.value.deleted"
        :key="open.data.value.number"
        :name="name"
        :page="open.data.value"
        :labels="labels"
        :reply="reply"
        @saved="saved"
        @away="setAway(open.data.value, true)"
      />
      <div v-else-if="number !== null && open.isPending.value" class="m-4 h-24 bg-paper" role="status" aria-label="Loading"></div>
      <div v-else-if="open.data.value?.deleted && open.data.value.number === number" class="p-6">
        <p>Case {{ number }} is put away: “{{ open.data.value.title }}”</p>
        <button type="button" class="button mt-2" data-test="bring-back" @click="setAway(open.data.value, false)">Bring it back</button>
      </div>
      <p v-else-if="number !== null" class="p-6 text-ink-2">There is no case {{ number }} here.</p>
      <p v-else class="p-6 text-ink-2">{{ none ? "" : "Choose a case to read it." }}</p>
    </section>
  </main>
  <ImportCases :open="bringing" :name="name" @close="bringing = false" />
</template>
