<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { remember } from "@/keep/storage";
import { messageOf } from "@/api/client";
import { usePatterns, useStarters, useSubjectChanges } from "@/api/subjects";
import { besides } from "./besides";
import SheetDialog from "@/parts/SheetDialog.vue";

/** `from` is a prompt to copy. */
const props = defineProps<{ open: boolean; from: string | null; kind: "prompt" | "chain" }>();
const emit = defineEmits<{ close: [] }>();
const router = useRouter();
const changes = useSubjectChanges();
const name = ref("");
const about = ref("");
const wrong = ref("");
const busy = ref(false);
const starters = useStarters();
const patterns = usePatterns();
const kind = ref<"prompt" | "chain">("prompt");
const pattern = ref<string | null>(null);
const chosenPattern = computed(() => patterns.data.value?.patterns.find((each) => each.key === pattern.value));
/** Places with what holds them, for a look at a pattern. */
const numberOf = (at: string) => at.split(".").filter((part) => /^\d+$/.test(part)).join(".");
const starter = ref<string | null>(null);
const chosen = computed(() => starters.data.value?.starters.find((each) => each.key === starter.value));
watch(
  () => props.open,
  (open) => {
    if (!open) return;
    starter.value = pattern.value = null;
    kind.value = props.kind;
    name.value = props.from ? `${props.from}-copy` : "";
    wrong.value = "";
  },
);
/** What a starter brings besides its parts. */
const brings = computed(() => (chosen.value ? besides(chosen.value.content) : []));
/** What is typed becomes a name that can stand in an address. */
const slug = computed(() =>
  name.value
    .toLowerCase()
    .normalize("NFKD")
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 63),
);

async function create(): Promise<void> {
  busy.value = true;
  wrong.value = "";
  try {
    const made = await changes.create({ name: slug.value, about: about.value, starter: props.from || kind.value === "chain" ? null : starter.value, copy_of: props.from, kind: kind.value, pattern: props.from || kind.value === "prompt" ? null : pattern.value });
    // What a starter is tried on first is its sample.
    if (kind.value === "prompt" && chosen.value) remember(`try.${made.name}`, { columns: [], inputs: chosen.value.sample, caseNumber: null });
    name.value = about.value = "";
    emit("close");
    await router.push({ name: "draft", params: { name: made.name } });
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <SheetDialog :open="open" :title="from ? `A copy of ${from}` : kind === 'chain' ? 'New chain' : 'New prompt'" :width="from ? '480px' : '820px'" @close="emit('close')">
    <form class="flex flex-col gap-3" @submit.prevent="create">
      <label class="flex flex-col gap-1">
        <span>Name</span>
        <input
          v-model="name"
          class="field"
          placeholder="e.g. sort-complaints"
          :aria-invalid="wrong !== ''"
          data-test="new-name"
        />
        <span class="caption">{{
          slug && slug !== name ? `It will be called ${slug}.` : "Small letters, digits and hyphens."
        }}</span>
      </label>
      <label class="flex flex-col gap-1">
        <span>What it does <span class="caption">(shown on the desk)</span></span>
        <input v-model="about" class="field" maxlength="200" placeholder="e.g. sorts complaints by department" />
      </label>
      <p v-if="!from" class="flex items-baseline gap-4" role="group" aria-label="Kind">
        <label class="flex items-center gap-1.5"><input v-model="kind" type="radio" value="prompt" class="accent-kelp" data-test="kind-prompt" /> a prompt <span class="caption">one request, one answer</span></label>
        <label class="flex items-center gap-1.5"><input v-model="kind" type="radio" value="chain" class="accent-kelp" data-test="kind-chain" /> a chain <span class="caption">work in steps that can be seen and tested</span></label>
      </p>
      <fieldset v-if="!from && kind === 'chain'" class="min-h-0">
        <legend class="mb-1">Begin with</legend>
        <div class="grid grid-cols-[230px_1fr] gap-4">
          <ul>
            <li v-for="each in [{ key: null, title: 'One step that asks' }, ...(patterns.data.value?.patterns ?? [])]" :key="each.key ?? ''">
              <button type="button" class="w-full border-b border-rule-soft px-2 py-1.25 text-left" :class="pattern === each.key ? 'bg-kelp-wash font-semibold' : 'hover:bg-paper'" :aria-pressed="pattern === each.key" :data-test="`pattern-${each.key ?? 'blank'}`" @click="pattern = each.key">{{ each.title }}</button>
            </li>
          </ul>
          <div class="max-h-70 min-w-0 overflow-auto border-l border-rule-soft pl-4">
            <p v-if="!chosenPattern" class="text-ink-2">A message, and a model that answers it. Add steps as you go.</p>
            <template v-else>
              <p class="mb-2 font-medium">{{ chosenPattern.when }}</p>
              <p v-for="step in chosenPattern.steps" :key="step.at" class="flex items-baseline gap-2 border-b border-rule-soft py-0.75" :style="{ paddingLeft: `${step.deep * 16}px` }"><span class="font-mono text-xs text-ink-3">{{ numberOf(step.at) }}</span><span class="min-w-0 flex-1 truncate">{{ step.name }}</span><span class="font-mono text-xs text-slate">{{ step.kind.replace("_", " ") }}</span></p>
              <p class="caption mt-2">It brings {{ chosenPattern.cases }} cases to walk it on.</p>
            </template>
          </div>
        </div>
      </fieldset>
      <fieldset v-else-if="!from" class="min-h-0">
        <legend class="mb-1">Begin with</legend>
        <div class="grid grid-cols-[190px_1fr] gap-4">
          <ul>
            <li v-for="each in [{ key: null, title: 'A blank sheet' }, ...(starters.data.value?.starters ?? [])]" :key="each.key ?? ''">
              <button
                type="button"
                class="w-full border-b border-rule-soft px-2 py-1.25 text-left"
                :class="starter === each.key ? 'bg-kelp-wash font-semibold' : 'hover:bg-paper'"
                :aria-pressed="starter === each.key"
                :data-test="`starter-${each.key ?? 'blank'}`"
                @click="starter = each.key"
              >
                {{ each.title }}
              </button>
            </li>
          </ul>
          <div class="max-h-70 min-w-0 overflow-auto border-l border-rule-soft pl-4">
            <p v-if="!chosen" class="text-ink-2">A task and a message, both for you to write.</p>
            <template v-else>
              <p class="font-medium">{{ chosen.when }}</p>
              <div v-for="(message, m) in chosen.content.messages" :key="m" class="mt-2">
                <p v-for="part in message.parts" :key="part.name" class="mb-1">
                  <span class="caption">{{ message.role }} · {{ part.name }}</span>
                  <span class="block font-serif whitespace-pre-wrap">{{ part.text }}</span>
                </p>
              </div>
              <dl class="mt-2 grid grid-cols-[72px_1fr] gap-x-2 gap-y-1 border-t border-rule-soft pt-2" data-test="starter-brings">
                <template v-for="{ title, told } in brings" :key="title">
                  <dt class="caption pt-0.5">{{ title }}</dt>
                  <dd class="min-w-0 break-words whitespace-pre-line">{{ told }}</dd>
                </template>
              </dl>
            </template>
          </div>
        </div>
      </fieldset>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button type="submit" class="button button-main" :disabled="!slug || busy" data-test="create">Make it</button>
      </div>
    </form>
  </SheetDialog>
</template>
