<script setup lang="ts">
/** The checks of a plan: on or off, the difference that does not matter, and their options. */
import { computed } from "vue";

import type { CheckKind, CheckUse, ReplyShape } from "@/api/schema";
import { copied } from "@/parts/values";
import OptionsForm from "@/parts/OptionsForm.vue";
import TypedField from "@/parts/TypedField.vue";

const props = defineProps<{ kinds: CheckKind[]; reply: ReplyShape | null; wrong: string | null }>();
const checks = defineModel<CheckUse[]>({ required: true });

/** A row for each use of a check, and one for each check that is not used. */
const rows = computed(() =>
  props.kinds.flatMap((kind) => {
    const used = checks.value.flatMap((use, at) => (use.check === kind.key ? [{ kind, at, use: use as CheckUse | null }] : []));
    return used.length ? used : [{ kind, at: -1, use: null }];
  }),
);

function toggle(kind: CheckKind, at: number): void {
  if (at >= 0) checks.value = checks.value.filter((_, each) => each !== at);
  else checks.value = [...checks.value, { check: kind.key, options: {}, margin: 2 }];
}
/** The same check once more: with other options it is a measure of its own. */
function again(at: number): void {
  checks.value = [...checks.value.slice(0, at + 1), { ...copied(checks.value[at]!) }, ...checks.value.slice(at + 1)];
}
function change(at: number, edit: Partial<CheckUse>): void {
  checks.value = checks.value.map((use, each) => (each === at ? { ...use, ...edit } : use));
}
const hasOptions = (kind: CheckKind) => Object.keys((kind.options.properties as object | undefined) ?? {}).length > 0;
</script>

<template>
  <ul>
    <li v-for="{ kind, at, use } in rows" :key="`${kind.key} ${at}`" class="border-b border-rule-soft py-line" :class="{ 'bg-rust-wash': at >= 0 && wrong?.startsWith(`checks.${at}`) }">
      <div class="flex items-center gap-2">
        <label class="flex min-w-0 flex-1 items-center gap-2" :title="kind.summary">
          <input
            type="checkbox"
            class="size-3.75 accent-kelp"
            :checked="!!use"
            :data-test="`check-${kind.key}`"
            @change="toggle(kind, at)"
          />
          <span class="truncate">{{ kind.aspects.join(" · ") }}</span>
        </label>
        <label v-if="use" class="caption flex items-center gap-1 whitespace-nowrap" title="A difference this small does not matter to you">
          same within
          <TypedField
            class="field h-6 w-12 px-1 font-mono text-sm text-ink"
            type="number"
            min="0"
            max="100"
            step="0.5"
            :model-value="use.margin"
            @update:model-value="change(at, { margin: Number($event) })"
          />
          points
        </label>
      </div>
      <details v-if="use && hasOptions(kind)" class="pt-1 pl-5.75 text-sm">
        <summary class="cursor-pointer text-kelp">options</summary>
        <OptionsForm class="py-2" :schema="kind.options" :model-value="use.options ?? {}" @update:model-value="change(at, { options: $event })" />
        <button type="button" class="link" title="Used twice it needs other options, and makes two rows of evidence" @click="again(at)">Use it once more</button>
      </details>
      <p v-if="use && kind.key === 'structure.reply_schema' && !reply?.json_schema" class="pl-5.75 text-xs text-straw">
        The newest version has no reply schema; give it one, or leave this out.
      </p>
    </li>
  </ul>
</template>
