<script setup lang="ts">
/** One case: a page to read, that opens for editing where one points; what was typed is kept until it is saved. */
import { useQueryClient } from "@tanstack/vue-query";
import { computed, nextTick, onMounted, ref, useTemplateRef, watch } from "vue";

import { fetchCase, useCaseChanges } from "@/api/cases";
import type { CasePage, ReplyShape } from "@/api/schema";
import { useKeys } from "@/frame/keys";
import { say } from "@/frame/notices";
import { onTop } from "@/keep/onTop";
import { useKeptDocument } from "@/keep/useKeptDocument";
import { when } from "@/marks/format";
import CaseFields from "./CaseFields.vue";
import { contentWith, FIELDS, type Texts, textsOf } from "./editing";
import { movable } from "./pairs/moves";
import CaseReading from "./reading/CaseReading.vue";

const props = defineProps<{ name: string; page: CasePage; labels: string[]; reply?: ReplyShape; typing?: boolean }>();
const emit = defineEmits<{ saved: [page: CasePage]; cancel: []; away: [] }>();
const queries = useQueryClient();
const changes = useCaseChanges(() => props.name);
const isNew = computed(() => props.page.number === 0);

const doc = useKeptDocument<CasePage, Texts>(
  {
    load: async () => (isNew.value ? props.page : fetchCase(queries, props.name, props.page.number)),
    send: (texts, page) => {
      const body = contentWith(page.content, texts);
      return page.number === 0 ? changes.keep(body) : changes.change(page.number, page.revision, body);
    },
    contentOf: (page) => textsOf(page.content),
    revisionOf: (page) => page.revision,
    merge: (base, mine, theirs) => {
      const { content, both } = onTop(base, mine, theirs);
      return { content, both: both.map((field) => FIELDS[field]) };
    },
  },
  { place: `case.${props.name}/${props.page.number}`, saves: "when told", first: props.page },
);
const { both, error } = doc;
const kept = computed(() => doc.page.value!);
const busy = computed(() => doc.status.value === "KEEPING");
const dirty = computed(() => doc.status.value !== "KEPT");
/** Somebody else's change comes in under what is being typed here. */
watch(() => props.page, doc.offer);

const opened = ref(false);
/** What was typed and not saved is never hidden behind the page to read. */
const editing = computed(() => isNew.value || opened.value || dirty.value);
const fields = useTemplateRef<{ focus: (field: string) => void }>("fields");
async function edit(field = ""): Promise<void> {
  if (field && document.getSelection()?.isCollapsed === false) return; // words are being chosen, to be copied
  opened.value = true;
  await nextTick();
  fields.value?.focus(field);
}
onMounted(async () => {
  await nextTick();
  if (props.typing) fields.value?.focus("");
});

async function save(): Promise<void> {
  if (busy.value || (!dirty.value && !isNew.value)) return;
  if (!(await doc.keep(isNew.value))) return;
  say(isNew.value ? `Kept as case ${kept.value.number}.` : `Case ${kept.value.number} is changed.`);
  opened.value = false;
  emit("saved", kept.value);
}
const facts = computed(() =>
  [
    dirty.value && !isNew.value ? "not saved yet" : "",
    kept.value.content.origin,
    kept.value.updated_at ? `changed ${when(kept.value.updated_at)}${kept.value.changed_by ? ` by ${kept.value.changed_by}` : ""}` : "",
  ].filter(Boolean).join(" · "),
);

useKeys([{ keys: { e: () => void edit() }, shown: ["E"], label: "edit the case" }]);
</script>

<template>
  <form class="flex min-h-0 flex-1 flex-col" @submit.prevent="save" @keydown.ctrl.enter.prevent.stop="save">
    <header class="flex items-center gap-3 border-b border-rule px-4 py-head">
      <span class="min-w-0 flex-1">
        <span class="block font-semibold">{{ isNew ? "New case" : `Case ${page.number}` }}</span>
        <span class="caption block truncate" :title="facts">{{ facts || "\u00a0" }}</span>
      </span>
      <template v-if="editing">
        <button v-if="isNew" type="button" class="button" @click="emit('cancel')">Cancel</button>
        <button v-else-if="!dirty" type="button" class="button" data-test="leave-case-edit" @click="opened = false">Leave it</button>
        <button type="submit" class="button" :class="dirty || isNew ? 'button-main' : ''" :disabled="busy || (!dirty && !isNew)" data-test="save-case">
          {{ isNew ? "Keep it" : "Save" }}
        </button>
      </template>
      <template v-else>
        <button type="button" class="button" data-test="put-away" @click="emit('away')">Put away</button>
        <button type="button" class="button" data-test="edit-case" @click="edit()">Edit</button>
      </template>
    </header>
    <CaseFields v-if="editing" ref="fields" v-model="doc.content.value!" :labels="labels" :offered="movable(reply)">
      <p v-if="both.length" class="text-straw" role="status">Changed elsewhere, too: {{ both.join(", ") }}. Saving puts yours in its place.</p>
      <p v-if="error" class="text-rust" role="alert">{{ error }}</p>
      <p class="caption">A trial keeps its cases as they were when it started, so a change here touches later trials only.</p>
    </CaseFields>
    <CaseReading v-else :name="name" :page="kept" :reply="reply" @edit="edit" />
  </form>
</template>
