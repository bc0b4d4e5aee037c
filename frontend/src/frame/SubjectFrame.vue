<script setup lang="ts">
import { computed } from "vue";
import { useRoute, useRouter } from "vue-router";

import { faultOf } from "@/api/fault";
import { useSubject } from "@/api/subjects";
import { messageOf } from "@/api/client";
import AppHeader from "./AppHeader.vue";
import CourseStage from "./CourseStage.vue";
import { courseOf } from "./course";
import { useKeys } from "./keys";

const route = useRoute();
const router = useRouter();
const name = computed(() => String(route.params.name));
const subject = useSubject(name);
const course = computed(() => courseOf(subject.data.value));
const here = computed(() => String(route.name));

const go = (stage: string) => void router.push({ name: stage, params: { name: name.value } });
useKeys([
  {
    keys: { "1": () => go("draft"), "2": () => go("cases"), "3": () => go("trial"), "4": () => go("verdict") },
    shown: ["1", "–", "4"],
    label: "stages",
  },
]);
</script>

<template>
  <AppHeader>
    <div class="flex w-[200px] shrink-0 flex-col justify-center px-[14px]">
      <span class="caption">{{ subject.data.value?.kind ?? "prompt" }}</span>
      <span class="truncate text-read font-semibold">
        {{ name }}
        <span v-if="subject.data.value?.base_version" class="font-mono text-sm font-normal text-kelp"
          >v{{ subject.data.value.base_version }}</span
        >
      </span>
    </div>
    <nav class="flex flex-1" aria-label="Course">
      <CourseStage
        v-for="stage in course"
        :key="stage.key"
        :stage="stage"
        :subject="name"
        :current="here === stage.key"
      />
    </nav>
  </AppHeader>
  <main v-if="faultOf(subject)" class="flex-1 p-10">
    <p class="font-serif text-say">{{ messageOf(faultOf(subject)) }}</p>
    <p class="mt-2"><RouterLink to="/" class="link">Go to the desk</RouterLink></p>
  </main>
  <RouterView v-else :key="name" />
</template>
