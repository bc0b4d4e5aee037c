<script setup lang="ts">
/** A chain from a description: a model writes it, it is checked, and shown as a difference before it is taken. */
import { computed, ref, watch } from "vue";

import { api, got, messageOf } from "@/api/client";
import { cheapestAndDearest, useModels } from "@/api/models";
import type { Chain, ChainProposal } from "@/api/schema";
import { recall, remember } from "@/keep/storage";
import { cents, count } from "@/marks/format";
import LineDiff from "@/parts/LineDiff.vue";
import SheetDialog from "@/parts/SheetDialog.vue";
import { copied } from "@/parts/values";

const props = defineProps<{ open: boolean; name: string }>();
const emit = defineEmits<{ close: []; take: [content: Chain] }>();
const models = useModels();
const list = computed(() => models.data.value?.models ?? []);
const memory = `describe.${props.name}`;
const asked = ref(recall<string>(memory) ?? "");
const model = ref("");
const busy = ref(false);
const wrong = ref("");
const proposal = ref<ChainProposal | null>(null);
const asYaml = ref(false);
watch(asked, (text) => remember(memory, text));
watch(list, (all) => (model.value ||= cheapestAndDearest(all)[1]?.name ?? cheapestAndDearest(all)[0]?.name ?? ""), { immediate: true });

async function propose(): Promise<void> {
  if (busy.value || !asked.value.trim()) return;
  busy.value = true;
  wrong.value = "";
  try {
    proposal.value = await got(api.POST("/api/v1/subjects/{name}/chain/proposal", { params: { path: { name: props.name } }, body: { asked: asked.value, model: model.value } }));
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
const about = computed(() => {
  const told = proposal.value;
  if (!told) return "";
  return [`written in ${count(told.rounds, "round")}`, cents(told.cents), told.likely ? `a walk takes about ${count(Math.round(told.likely.calls), "call")}, ${cents(told.likely.cents)}` : ""].filter(Boolean).join(" · ");
});
</script>

<template>
  <SheetDialog :open="open" title="Describe the work" width="880px" @close="emit('close')">
    <form class="flex flex-col gap-2" @submit.prevent="propose">
      <textarea v-model="asked" class="field field-sizing-content max-h-40 min-h-16 w-full resize-none font-serif text-read" maxlength="4000" placeholder="Sort the message into fares, lost things and others, then look the answer up, then write a reply of at most 60 words, checked until it is short enough, and have a person approve it." aria-label="What the chain is to do" data-test="describe" @keydown.ctrl.enter.prevent="propose"></textarea>
      <p class="flex items-center gap-3">
        <label class="flex items-center gap-2">written by <select v-model="model" class="field px-1" aria-label="Model that writes it" data-test="describe-model"><option v-for="each in list" :key="each.name" :value="each.name">{{ each.name }}</option></select></label>
        <span class="caption min-w-0 flex-1 truncate">{{ busy ? "It is being written, and checked…" : about }}</span>
        <button type="submit" class="button" :class="proposal ? '' : 'button-main'" :disabled="busy || !asked.trim() || !model" data-test="propose">{{ proposal ? "Propose again" : "Propose" }}</button>
      </p>
    </form>
    <p v-if="wrong" class="mt-2 border-l-2 border-rust pl-2 text-rust" role="alert">{{ wrong }}</p>
    <template v-if="proposal">
      <ul v-if="proposal.wrong.length" class="mt-2 border-l-2 border-rust pl-2 text-rust" role="alert" data-test="proposal-wrong"><li v-for="each in proposal.wrong" :key="each">{{ each }}</li></ul>
      <p class="mt-3 mb-1 flex items-center gap-3 border-t border-rule pt-2">
        <span class="flex-1 text-ink-2">{{ asYaml || !proposal.content ? "As it was written" : "What the draft would have otherwise" }}</span>
        <button v-if="proposal.content" type="button" class="link text-sm" data-test="proposal-yaml" @click="asYaml = !asYaml">{{ asYaml ? "what would be otherwise" : "as YAML" }}</button>
        <button v-if="proposal.content" type="button" class="button button-main" data-test="take-proposal" @click="emit('take', copied(proposal.content))">Take it into the draft</button>
        <button type="button" class="button" @click="emit('close')">Leave it</button>
      </p>
      <div class="max-h-[48vh] overflow-auto" tabindex="0" role="group" aria-label="The proposal">
        <pre v-if="asYaml || !proposal.content" class="font-mono text-xs whitespace-pre-wrap" data-test="proposal-text">{{ proposal.yaml }}</pre>
        <LineDiff v-else :before="proposal.before" :after="proposal.after" />
      </div>
    </template>
  </SheetDialog>
</template>
