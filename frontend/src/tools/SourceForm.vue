<script setup lang="ts">
/** A source put here, or put in the place of one: an SQLite file, or where a MariaDB database is. */
import { computed, reactive, ref } from "vue";

import { messageOf } from "@/api/client";
import { useServerKeys } from "@/api/models";
import { MOST_SOURCE_BYTES, useToolChanges } from "@/api/tools";
import { bytes } from "@/marks/format";

const props = defineProps<{ name: string }>();
const emit = defineEmits<{ made: [name: string]; cancel: [] }>();
const changes = useToolChanges();
const serverKeys = useServerKeys();
const name = ref(props.name);
const about = ref("");
const kind = ref<"sqlite" | "mariadb">("sqlite");
const place = reactive({ host: "", port: 3306, user: "", database: "", key: "" });
const file = ref<File | null>(null);
const wrong = ref("");
const busy = ref(false);
const ready = computed(() => name.value.trim() && (kind.value === "sqlite" ? file.value : place.host.trim()));

function take(event: Event): void {
  file.value = (event.target as HTMLInputElement).files?.[0] ?? null;
  wrong.value = file.value && file.value.size > MOST_SOURCE_BYTES ? `${file.value.name} has ${bytes(file.value.size)}; at most ${bytes(MOST_SOURCE_BYTES)} can be attached.` : "";
  if (file.value && !name.value) name.value = file.value.name.replace(/\..*$/, "").toLowerCase().replaceAll(/[^a-z0-9-]+/g, "-").replaceAll(/^-+|-+$/g, "");
}
async function put(): Promise<void> {
  if (busy.value || !ready.value) return;
  busy.value = true;
  wrong.value = "";
  try {
    const called = name.value.trim();
    if (kind.value === "sqlite") await changes.attach(called, about.value, file.value!);
    else await changes.point(called, { about: about.value, ...place });
    emit("made", called);
  } catch (error) {
    wrong.value = messageOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form class="flex min-h-0 flex-col gap-4 overflow-auto p-8" @submit.prevent="put">
    <p class="max-w-130 font-serif text-say">{{ props.name ? `Another ${props.name}` : "A new source" }}</p>
    <p class="max-w-130 text-ink-2">A source is what SQL tools read, and what queries in answers are run on. It is opened for reading only, each statement is looked at before it is run, and none may take long.</p>
    <p class="flex gap-5">
      <label class="flex items-center gap-2"><input v-model="kind" type="radio" value="sqlite" class="accent-kelp" />an SQLite file</label>
      <label class="flex items-center gap-2"><input v-model="kind" type="radio" value="mariadb" class="accent-kelp" data-test="elsewhere" />a MariaDB database</label>
    </p>
    <label v-if="kind === 'sqlite'" class="flex flex-col gap-1"><span>File</span><input type="file" class="text-sm" data-test="source-file" @change="take" /></label>
    <div v-else class="grid max-w-130 grid-cols-[1fr_100px] gap-x-4 gap-y-2">
      <label class="flex flex-col gap-1"><span>Host</span><input v-model="place.host" class="field font-mono" placeholder="rows.example" data-test="source-host" /></label>
      <label class="flex flex-col gap-1"><span>Port</span><input v-model.number="place.port" type="number" class="field font-mono" min="1" max="65535" /></label>
      <label class="flex flex-col gap-1"><span>Database</span><input v-model="place.database" class="field font-mono" /></label>
      <label class="flex flex-col gap-1"><span>User</span><input v-model="place.user" class="field font-mono" /></label>
      <label class="col-span-2 flex flex-col gap-1"
        ><span>Password <span class="caption">by the name of a key; give the user rights to read alone</span></span>
        <select v-model="place.key" class="field font-mono">
          <option value="">none</option>
          <option v-for="each in serverKeys.data.value?.keys ?? []" :key="each.reference" :value="each.reference">{{ each.reference }}</option>
        </select>
      </label>
    </div>
    <label v-if="!props.name" class="flex max-w-90 flex-col gap-1"><span>Name <span class="caption">(small letters, digits and hyphens)</span></span><input v-model="name" class="field" placeholder="timetable" data-test="source-name" /></label>
    <label class="flex max-w-130 flex-col gap-1"><span>What is in it <span class="caption">(if you like)</span></span><input v-model="about" class="field" /></label>
    <p v-if="wrong" class="text-rust" role="alert" data-test="source-problem">{{ wrong }}</p>
    <p class="flex gap-3">
      <button type="submit" class="button button-main" :disabled="busy || !ready" data-test="put-source">{{ busy ? "Putting it here…" : "Put it here" }}</button>
      <button type="button" class="button" @click="emit('cancel')">Leave it</button>
    </p>
  </form>
</template>
