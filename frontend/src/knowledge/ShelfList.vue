<script setup lang="ts">
/** What there is to read: collections, and the documents of the one that is open. */
import type { CollectionLine, CollectionPage } from "@/api/schema";
import { count } from "@/marks/format";

/** Words that the documents are narrowed by. */
const find = defineModel<string>({ required: true });
defineProps<{ collections: CollectionLine[]; page: CollectionPage | null; chosen: string | null; document: string; loading: boolean; fault: string }>();
defineEmits<{ choose: [name: string]; read: [stem: string]; new: []; bring: []; about: [] }>();
</script>

<template>
  <section class="panel flex min-h-0 flex-col" aria-label="Collections">
    <header class="flex items-center gap-3 border-b border-rule px-gut py-head">
      <b class="flex-1 font-semibold">{{ loading ? "Collections" : count(collections.length, "collection") }}</b>
      <button type="button" class="link text-sm" data-test="new-collection" @click="$emit('new')">New</button>
    </header>
    <div class="min-h-0 flex-1 overflow-auto" tabindex="0" role="group" aria-label="Collections and documents">
      <p v-if="fault" class="p-gut text-rust" role="alert">{{ fault }}</p>
      <div v-else-if="loading" class="flex flex-col gap-2 p-gut" role="status" aria-label="Loading">
        <div v-for="n in 4" :key="n" class="h-6 bg-paper"></div>
      </div>
      <div v-for="each in collections" v-else :key="each.name" class="border-b border-rule-soft">
        <button type="button" class="block w-full px-gut py-2 text-left" :class="each.name === chosen ? '' : 'hover:bg-paper'" :aria-expanded="each.name === chosen" data-test="collection" @click="$emit('choose', each.name)">
          <span class="block truncate font-serif text-read" :class="each.name === chosen ? 'font-semibold' : ''">{{ each.name }}</span>
          <span class="caption block truncate">
            <template v-if="each.version">v{{ each.version }} · {{ count(each.passages, "passage") }}</template><template v-else>empty</template>
            <template v-if="each.used_by.length"> · in {{ each.used_by.join(", ") }}</template>
          </span>
        </button>
        <template v-if="each.name === chosen && page?.name === each.name">
          <p v-if="page.more || find" class="px-gut pb-1 pl-6"><input v-model="find" type="search" class="field h-7 w-full text-sm" placeholder="Narrow by words" aria-label="Narrow the documents" data-test="find-documents" /></p>
          <ol>
            <li v-for="held in page.holds" :key="held.stem">
              <button
                type="button"
                class="grid w-full grid-cols-[minmax(0,1fr)_auto] items-baseline gap-2 py-1 pr-gut pl-6 text-left"
                :class="held.stem === document ? 'bg-kelp-wash' : 'hover:bg-paper'"
                :aria-current="held.stem === document"
                data-test="document"
                @click="$emit('read', held.stem)"
              >
                <span class="truncate" :title="held.title || held.file">{{ held.title || held.stem }}</span>
                <span class="font-mono text-xs text-ink-2 tabular-nums">{{ held.passages }}</span>
              </button>
            </li>
          </ol>
          <p v-if="page.more" class="caption pl-6">and others: {{ page.documents.toLocaleString("en") }} in all</p>
          <p v-else-if="find && !page.holds.length" class="caption pl-6">none with all of these words</p>
          <p class="flex gap-4 py-2 pl-6 text-sm">
            <button type="button" class="link" data-test="bring" @click="$emit('bring')">Bring in</button>
            <button type="button" class="link" data-test="about-collection" @click="$emit('about')">About it</button>
          </p>
        </template>
      </div>
    </div>
  </section>
</template>
