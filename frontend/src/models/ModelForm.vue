<script setup lang="ts">
import { computed, watch } from "vue";

import { entryOf, fetchModel, useModelChanges, useServerKeys } from "@/api/models";
import type { Habits, ModelEntry, ModelLine } from "@/api/schema";
import { onTop } from "@/keep/onTop";
import { useKeptDocument } from "@/keep/useKeptDocument";
import HabitFields from "./HabitFields.vue";
import TryModel from "./TryModel.vue";

/** `tryNow`: it was just added, so it is asked for a word at once. */
const props = withDefaults(defineProps<{ model: ModelLine | null; names: string[]; tryNow?: boolean }>(), { tryNow: false });
const emit = defineEmits<{ saved: [name: string]; remove: []; cancel: [] }>();
const BLANK = {
  address: "",
  served_as: "",
  wire_format: "chat_completions" as ModelLine["wire_format"],
  key_reference: null as string | null,
  context_window: 8192,
  input_cents: 0,
  output_cents: 0,
  time_limit_ms: 60_000,
  about: "",
  policy: "",
  abilities: ["images", "reasoning", "reply_schema", "tools"] as ModelLine["abilities"],
  calls_at_once: null as number | null,
  requests_per_minute: null as number | null,
  tokens_per_minute: null as number | null,
  habits: { refuses: [], limit_as: "max_tokens", schema_as: "schema", key_header: "", key_prefix: null } as Habits,
  headers: {} as Record<string, string>,
};
const ABILITIES: { value: ModelLine["abilities"][number]; label: string }[] = [
  { value: "tools", label: "call tools" },
  { value: "images", label: "look at images" },
  { value: "reply_schema", label: "keep to a reply schema" },
  { value: "reasoning", label: "reason first" },
  { value: "embeddings", label: "make vectors of texts" },
];
const keys = useServerKeys();
const known = computed(() => keys.data.value?.keys ?? []);
const chosenKey = computed(() => known.value.find((key) => key.reference === entry.value.key_reference) ?? null);

/** An entry as it is typed: headers as `Name: value`, one a line. */
interface Typed extends Omit<ModelLine, "headers" | "revision" | "built_in" | "answered" | "ignores"> {
  headers: string;
}
const page = (model: ModelLine | null): ModelLine => model ?? { ...BLANK, name: "", revision: 0, built_in: false, answered: false, ignores: [] };
function typedOf(model: ModelLine): Typed {
  const headers = Object.entries(model.headers ?? {}).map(([key, value]) => `${key}: ${value}`).join("\n");
  return { ...entryOf(model), name: model.name, headers };
}
function entryFrom({ name: _name, headers, ...typed }: Typed): ModelEntry {
  const pairs = headers.split("\n").map((line) => /^\s*([^:]+?)\s*:\s*(.*?)\s*$/.exec(line)).filter((found) => found !== null);
  return {
    ...typed,
    address: typed.address.trim(),
    key_reference: typed.key_reference?.trim() || null,
    headers: Object.fromEntries(pairs.map((found) => [found[1]!, found[2]!])),
    // A limit that is left empty is none.
    calls_at_once: typed.calls_at_once || null,
    requests_per_minute: typed.requests_per_minute || null,
    tokens_per_minute: typed.tokens_per_minute || null,
  };
}

const changes = useModelChanges();
const doc = useKeptDocument<ModelLine, Typed>(
  {
    load: async () => (props.model ? fetchModel(props.model.name) : page(null)),
    send: (typed, model) => changes.save(typed.name.trim(), props.model ? model.revision : null, entryFrom(typed)),
    contentOf: typedOf,
    revisionOf: (model) => model.revision,
    merge: (base, mine, theirs) => {
      const { content, both } = onTop(base, mine, theirs);
      return { content, both: both.map((field) => field.replaceAll("_", " ")) };
    },
  },
  { place: `model.${props.model?.name ?? ""}`, saves: "when told", first: page(props.model) },
);
const { both, error, problem } = doc;
const entry = computed(() => doc.content.value!);
const busy = computed(() => doc.status.value === "KEEPING");
const changed = computed(() => doc.status.value !== "KEPT");
watch(() => props.model, (model) => model && doc.offer(model));
const taken = computed(() => props.names.includes(entry.value.name.trim()));
const whole = computed(() => entry.value.name.trim() !== "" && entry.value.address.trim() !== "" && !taken.value);

function setHabits(found: Habits): void {
  entry.value.habits = found;
  void save();
}
const isWrong = (field: string) => problem.value?.field === field;

async function save(): Promise<void> {
  if (!whole.value || busy.value) return;
  if (await doc.keep()) emit("saved", entry.value.name);
}
</script>

<template>
  <form class="flex min-h-0 flex-1 flex-col" @submit.prevent="save" @keydown.ctrl.s.prevent="save">
    <header class="flex items-center gap-3 border-b border-rule px-gut py-head">
      <h1 class="flex-1 font-semibold" data-test="model-title">{{ model ? model.name : "Add a model" }}</h1>
      <button v-if="model" type="button" class="link" data-test="remove-model" @click="emit('remove')">remove</button>
      <button v-else type="button" class="link" @click="emit('cancel')">cancel</button>
    </header>
    <div class="flex min-h-0 flex-1 flex-col gap-2.5 overflow-auto p-gut">
      <label v-if="!model" class="flex flex-col gap-1">
        <span>Name in Epistem</span>
        <input v-model="entry.name" class="field" placeholder="e.g. harbour-large" autofocus data-test="model-name" :aria-invalid="isWrong('name') || taken" />
        <span v-if="taken" class="text-sm text-rust">There is a model of this name already.</span>
      </label>
      <label class="flex flex-col gap-1">
        <span>Address of its server</span>
        <input v-model="entry.address" class="field font-mono" placeholder="https://models.example.com, with or without /v1" data-test="model-address" :aria-invalid="isWrong('address')" />
      </label>
      <label class="flex flex-col gap-1">
        <span>What it speaks</span>
        <select v-model="entry.wire_format" class="field" data-test="model-format">
          <option value="chat_completions">chat completions, at /v1/chat/completions</option>
          <option value="messages">messages with content blocks, at /v1/messages</option>
        </select>
      </label>
      <label class="flex flex-col gap-1">
        <span>Its name there <span class="caption">if it is another</span></span>
        <input v-model="entry.served_as" class="field font-mono" :placeholder="entry.name || 'the same'" data-test="model-served-as" :aria-invalid="isWrong('served_as')" />
      </label>
      <div class="flex flex-col gap-1">
        <label class="flex flex-col gap-1">
          <span>Its key <span class="caption">by name; the key itself is never shown or kept here</span></span>
          <select
            class="field font-mono"
            :value="entry.key_reference ?? ''"
            data-test="model-key"
            :aria-invalid="isWrong('key_reference')"
            @change="entry.key_reference = ($event.target as HTMLSelectElement).value || null"
          >
            <option value="">none</option>
            <option v-if="entry.key_reference && !chosenKey" :value="entry.key_reference">{{ entry.key_reference }} (not there)</option>
            <option v-for="key in known" :key="key.reference" :value="key.reference">{{ key.reference }}</option>
          </select>
        </label>
        <p v-if="chosenKey?.fault" class="text-sm text-rust">{{ chosenKey.fault }}</p>
        <p v-else-if="chosenKey" class="caption">May be sent to {{ chosenKey.addresses.join(", ") }}.</p>
        <details class="text-sm">
          <summary class="cursor-pointer text-kelp" data-test="how-keys">How to add a key</summary>
          <p class="pt-1">
            Set two variables where Epistem is started, then start it again:
            <code class="block font-mono text-xs">EPISTEM_KEY_HARBOUR=…</code>
            <code class="block font-mono text-xs break-all">EPISTEM_KEY_HARBOUR_FOR=https://models.example.com</code>
          </p>
          <p v-if="keys.data.value?.folder" class="pt-1">
            Or put a file into <code class="font-mono text-xs break-all">{{ keys.data.value.folder }}</code
            >, that only its owner can read: the key in the first line, an address that it may be sent to in each line after it.
          </p>
        </details>
      </div>
      <div class="grid grid-cols-2 gap-x-4 gap-y-2.5">
        <label class="flex flex-col gap-1"
          ><span>Window, tokens</span><input v-model.number="entry.context_window" class="field font-mono" type="number" min="16" :aria-invalid="isWrong('context_window')"
        /></label>
        <label class="flex flex-col gap-1"
          ><span>Time limit, ms</span><input v-model.number="entry.time_limit_ms" class="field font-mono" type="number" min="100" step="100" :aria-invalid="isWrong('time_limit_ms')"
        /></label>
        <label class="flex flex-col gap-1"
          ><span>Cents for a million in</span><input v-model.number="entry.input_cents" class="field font-mono" type="number" min="0" step="any" :aria-invalid="isWrong('input_cents')"
        /></label>
        <label class="flex flex-col gap-1"
          ><span>Cents for a million out</span><input v-model.number="entry.output_cents" class="field font-mono" type="number" min="0" step="any" :aria-invalid="isWrong('output_cents')"
        /></label>
      </div>
      <fieldset>
        <legend class="mb-1">What it allows <span class="caption">all who ask it through Epistem together</span></legend>
        <div class="grid grid-cols-3 gap-x-4">
          <label class="flex flex-col gap-1"
            ><span class="text-sm">calls at once</span
            ><input v-model.number="entry.calls_at_once" class="field font-mono" type="number" min="1" placeholder="no limit" data-test="model-at-once" :aria-invalid="isWrong('calls_at_once')"
          /></label>
          <label class="flex flex-col gap-1"
            ><span class="text-sm">calls a minute</span
            ><input v-model.number="entry.requests_per_minute" class="field font-mono" type="number" min="1" placeholder="no limit" data-test="model-rate" :aria-invalid="isWrong('requests_per_minute')"
          /></label>
          <label class="flex flex-col gap-1"
            ><span class="text-sm">tokens a minute</span
            ><input v-model.number="entry.tokens_per_minute" class="field font-mono" type="number" min="1" placeholder="no limit" data-test="model-tokens" :aria-invalid="isWrong('tokens_per_minute')"
          /></label>
        </div>
      </fieldset>
      <HabitFields v-model="entry.habits" :format="entry.wire_format" />
      <label class="flex flex-col gap-1"
        ><span>More headers <span class="caption">Name: value; nothing secret</span></span
        ><textarea v-model="entry.headers" class="field font-mono text-sm" rows="1" data-test="model-headers" :aria-invalid="isWrong('headers')"></textarea
      ></label>
      <fieldset class="flex flex-col gap-1">
        <legend>What it can do <span class="caption">what it can't is not sent</span></legend>
        <span class="flex flex-wrap gap-x-4">
          <label v-for="ability in ABILITIES" :key="ability.value" class="flex items-center gap-1">
            <input v-model="entry.abilities" type="checkbox" :value="ability.value" class="accent-kelp" :data-test="`can-${ability.value}`" /> {{ ability.label }}
          </label>
        </span>
      </fieldset>
      <label class="flex flex-col gap-1"
        ><span>Where data goes, and whether it is kept</span><textarea v-model="entry.policy" class="field" rows="2" data-test="model-policy"></textarea
      ></label>
      <p v-if="both.length" class="text-straw" role="status">Changed elsewhere, too: {{ both.join(", ") }}. Saving puts yours in its place.</p>
      <p v-if="error" class="text-rust" role="alert" data-test="model-problem">{{ error }}</p>
      <div>
        <button type="submit" class="button button-main" :disabled="!whole || busy || (!!model && !changed)" data-test="save-model">
          {{ busy ? "Saving…" : model ? "Save changes" : "Add it" }}
        </button>
      </div>
      <TryModel :now="tryNow" v-if="model" :name="model.name" :changed="changed" @pick="entry.served_as = $event" @habits="setHabits" />
    </div>
  </form>
</template>
