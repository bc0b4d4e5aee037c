<script setup lang="ts">
/** What a case was before, and the way back: an older trial asked it as it was then. */
import { computed } from "vue";

import { useCaseChanges, useEarlier } from "@/api/cases";
import { messageOf } from "@/api/client";
import type { CasePage, EarlierCase } from "@/api/schema";
import { complain, say } from "@/frame/notices";
import { count, when } from "@/marks/format";
import { readText } from "@/parts/values";

const props = defineProps<{ name: string; page: CasePage }>();
const earlier = useEarlier(computed(() => props.name), computed(() => props.page.number), computed(() => props.page.revision));
const changes = useCaseChanges(() => props.name);
const versions = computed(() => earlier.data.value?.earlier ?? []);

/** The value at `expect.label`; "" for what is not there. */
function valueAt(content: object, path: string): string {
  const [field, inner] = path.split(/\.(.*)/s);
  const outer = (content as Record<string, unknown>)[field!];
  const value = inner ? (outer as Record<string, unknown> | undefined)?.[inner] : outer;
  return readText(value);
}
async function bringBack(version: EarlierCase): Promise<void> {
  try {
    const before = props.page.content;
    const after = await changes.change(props.page.number, props.page.revision, version.content);
    say(`Case ${props.page.number} is as it was.`, () => void changes.change(after.number, after.revision, before).catch((error: unknown) => complain(messageOf(error))));
  } catch (error) {
    complain(messageOf(error));
  }
}
</script>

<template>
  <details v-if="versions.length" data-test="earlier-versions">
    <summary class="caption cursor-pointer border-b border-rule-soft pb-1">Changed {{ count(versions.length, "time") }}</summary>
    <div v-for="version in versions" :key="version.revision" class="border-b border-rule-soft py-1" data-test="earlier-version">
      <p class="flex items-baseline gap-3">
        <span class="caption flex-1">from {{ when(version.changed_at) }}<template v-if="version.changed_by"> by {{ version.changed_by }}</template></span>
        <button type="button" class="link text-sm" data-test="be-so-again" @click="bringBack(version)">make it so again</button>
      </p>
      <p v-for="field in version.changed" :key="field" class="line-clamp-3">
        <span class="mr-2 font-mono text-xs text-slate">{{ field }}</span><del v-if="valueAt(version.content, field)" class="font-serif text-ink-2 decoration-rust">{{ valueAt(version.content, field) }}</del><span v-else class="text-ink-2">was empty</span>
      </p>
    </div>
  </details>
</template>
