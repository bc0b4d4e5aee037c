<script setup lang="ts">
/** Under a part: which of its fragments have a newer version, and the offer to move up. */
import { computed } from "vue";

import type { FragmentLine } from "@/api/schema";
import { useChange } from "../change";
import { moveUp, outdated } from "./fragments";

const props = defineProps<{ text: string; fragments: FragmentLine[] }>();
const emit = defineEmits<{ update: [text: string] }>();
const change = useChange();
const old = computed(() => outdated(props.text, props.fragments));

function take(pin: (typeof old.value)[number]): void {
  change(`${pin.name} is now at version ${pin.newest}.`, () => emit("update", moveUp(props.text, pin, pin.newest)));
}
</script>

<template>
  <p v-for="pin in old" :key="`${pin.name}@${pin.version}`" class="mt-1 text-sm text-straw" data-test="newer-fragment">
    {{ pin.name }} has a newer version {{ pin.newest }}<template v-if="pin.note">: {{ pin.note }}</template
    >.
    <button type="button" class="link" @click="take(pin)">Move up to it</button>
  </p>
</template>
