<script setup lang="ts">
/** A value of the state: a text as it is, else as JSON; a long one folded. */
import { computed, ref } from "vue";

const props = defineProps<{ value: unknown; differs?: boolean }>();
const SHORT = 360;
const text = computed(() => (typeof props.value === "string" ? props.value : JSON.stringify(props.value, null, 1)) ?? "");
const isProse = computed(() => typeof props.value === "string" && !/^\s*(select|with|\{|\[)/i.test(props.value));
const open = ref(false);
</script>

<template>
  <span class="block min-w-0 break-words whitespace-pre-wrap" :class="[isProse ? 'font-serif' : 'font-mono text-xs', differs ? 'bg-straw-wash' : '']"
    >{{ text === "" ? "(empty)" : open || text.length <= SHORT ? text : `${text.slice(0, SHORT)}…` }}<button v-if="text.length > SHORT" type="button" class="link ml-1 font-sans text-xs" @click="open = !open">{{ open ? "less" : "all" }}</button></span
  >
</template>
