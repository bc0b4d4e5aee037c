<script setup lang="ts">
/** The checks of a plan: on or off, the difference that does not matter, and their options. */
import { computed } from "vue";

import type { CheckKind, CheckUse, ReplyShape } from "@/api/schema";
import { copied } from "@/parts/values";
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
function setOption(at: number, name: string, value: unknown): void {
  const options = { ...checks.value[at]!.options };
  if (value === undefined) delete options[name];
  else options[name] = value;
  change(at, { options });
}
const linesOf = (value: unknown) => (Array.isArray(value) ? value.join("\n") : "");
const toLines = (text: string) => {
  const lines = text.split("\n").map((line) => line.trim()).filter(Boolean);
  return lines.length ? lines : undefined;
};
</script>

<template>
  <ul>
    <li v-for="{ kind, at, use } in rows" :key="`${kind.key} ${at}`" class="border-b border-rule-soft py-[6px]" :class="{ 'bg-rust-wash': at >= 0 && wrong?.startsWith(`checks.${at}`) }">
      <div class="flex items-center gap-2">
        <label class="flex min-w-0 flex-1 items-center gap-2" :title="kind.summary">
          <input
            type="checkbox"
            class="size-[15px] accent-kelp"
            :checked="!!use"
            :data-test="`check-${kind.key}`"
            @change="toggle(kind, at)"
          />
          <span class="truncate">{{ kind.aspects.join(" · ") }}</span>
        </label>
        <label v-if="use" class="caption flex items-center gap-1 whitespace-nowrap" title="A difference this small does not matter to you">
          same within
          <TypedField
            class="field h-6 w-[48px] px-1 font-mono text-sm text-ink"
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
      <details v-if="use && kind.key !== 'structure.reply_schema'" class="pt-1 pl-[23px] text-sm">
        <summary class="cursor-pointer text-kelp">options</summary>
        <div v-if="kind.key === 'tone.stock_phrases'" class="flex gap-2 py-2">
          <label v-for="[option, title] in [['also', 'Forbid also'], ['allow', 'Let through']] as const" :key="option" class="flex min-w-0 flex-1 flex-col gap-1">
            <span class="caption">{{ title }}, one a line</span>
            <TypedField
              lines
              class="field w-full"
              rows="2"
              :model-value="linesOf(use.options?.[option])"
              @update:model-value="setOption(at, option, toLines($event))"
            />
          </label>
        </div>
        <label v-else class="flex items-center gap-2 py-2">
          <span class="caption">The field of a JSON reply that holds the label</span>
          <TypedField
            class="field h-6 w-[110px] font-mono text-sm"
            :model-value="String(use.options?.at ?? 'label')"
            @update:model-value="setOption(at, 'at', $event.trim() || undefined)"
          />
        </label>
        <button type="button" class="link" title="Used twice it needs other options, and makes two rows of evidence" @click="again(at)">Use it once more</button>
      </details>
      <p v-if="use && kind.key === 'structure.reply_schema' && !reply?.json_schema" class="pl-[23px] text-xs text-straw">
        The newest version has no reply schema; give it one, or leave this out.
      </p>
    </li>
  </ul>
</template>
