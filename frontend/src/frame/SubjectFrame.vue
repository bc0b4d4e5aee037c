<script setup lang="ts">
import { computed, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { faultOf } from "@/api/fault";
import { useSubject } from "@/api/subjects";
import { messageOf } from "@/api/client";
import { count } from "@/marks/format";
import AppHeader from "./AppHeader.vue";
import CourseStage from "./CourseStage.vue";
import { courseOf } from "./course";
import { useKeys } from "./keys";
import { lastPlace } from "./place";

const route = useRoute();
const router = useRouter();
const name = computed(() => String(route.params.name));
const subject = useSubject(name);
const course = computed(() => courseOf(subject.data.value));
const checksTold = computed(() => (subject.data.value ? count(subject.data.value.checks.length, "check") : "checks"));
const here = computed(() => String(route.name));

watch(() => route.fullPath, (path) => path.startsWith("/subjects/") && (lastPlace.value = { name: name.value, path }), { immediate: true });

const go = (stage: string) => void router.push({ name: stage, params: { name: name.value } });
useKeys([
  {
    keys: { "1": () => go("draft"), "2": () => go("cases"), "3": () => go("trial"), "4": () => go("verdict") },
    shown: ["1", "–", "4"],
    label: "stages",
  },
  { keys: { c: () => go("checks") }, shown: ["C"], label: "checks" },
  { keys: { "9": () => void router.push({ name: "models" }) }, shown: ["9"], label: "models", everywhere: true },
]);
</script>

<template>
  <AppHeader>
    <div class="flex w-50 shrink-0 flex-col justify-center px-gut max-wide:w-37">
      <span class="caption">{{ subject.data.value?.kind ?? "prompt" }}</span>
      <span class="truncate text-read font-semibold">
        {{ name }}
        <span v-if="subject.data.value?.base_version" class="font-mono text-sm font-normal text-kelp"
          >v{{ subject.data.value.base_version }}</span
        >
      </span>
    </div>
    <nav class="flex min-w-0 flex-1" aria-label="Course">
      <CourseStage
        v-for="stage in course"
        :key="stage.key"
        :stage="stage"
        :subject="name"
        :current="here === stage.key"
      />
    </nav>
    <RouterLink
      :to="{ name: 'checks', params: { name } }"
      class="relative flex shrink-0 items-center px-gut hover:bg-paper"
      :aria-current="here === 'checks' ? 'page' : undefined"
      data-test="to-checks"
      ><span class="link text-sm">{{ checksTold }}</span><span v-if="here === 'checks'" class="absolute inset-x-0 bottom-[-1px] h-0.75 bg-kelp" aria-hidden="true"></span
    ></RouterLink>
    <RouterLink :to="{ name: 'models' }" class="flex shrink-0 items-center px-gut"><span class="link text-sm">Models</span></RouterLink>
  </AppHeader>
  <main v-if="faultOf(subject)" class="flex-1 p-10">
    <p class="font-serif text-say">{{ messageOf(faultOf(subject)) }}</p>
    <p class="mt-2"><RouterLink to="/" class="link">Go to the desk</RouterLink></p>
  </main>
  <RouterView v-else :key="name" />
</template>
