<script setup lang="ts">
/** The addresses that tools may reach, and no others. */
import { computed, ref } from "vue";

import { messageOf } from "@/api/client";
import type { Toolbox } from "@/api/schema";
import { useToolChanges } from "@/api/tools";
import { complain, say } from "@/frame/notices";
import { when } from "@/marks/format";

const props = defineProps<{ toolbox: Toolbox; add: string }>();
const changes = useToolChanges();
const address = ref(props.add);
const inside = ref(/\/\/(127\.|localhost|10\.|192\.168\.|\[::1\])/.test(props.add));
const wrong = ref("");
const addresses = computed(() => props.toolbox.addresses);

async function allow(): Promise<void> {
  wrong.value = "";
  try {
    await changes.allow({ address: address.value.trim(), inside: inside.value });
    address.value = "";
    inside.value = false;
  } catch (error) {
    wrong.value = messageOf(error);
  }
}
async function disallow(each: Toolbox["addresses"][number]): Promise<void> {
  try {
    await changes.disallow(each.address);
    say(`Tools reach ${each.address} no more.`, () => void changes.allow({ address: each.address, inside: each.inside }).catch((error: unknown) => complain(messageOf(error))));
  } catch (error) {
    complain(messageOf(error));
  }
}
</script>

<template>
  <header class="border-b border-rule px-gut py-head"><h1 class="font-semibold">Where tools may go</h1></header>
  <div class="flex min-h-0 flex-1 flex-col gap-4 overflow-auto p-gut" tabindex="0" role="group" aria-label="Allowed addresses">
    <p class="max-w-140 text-ink-2">Tools reach these addresses and no others, whatever a model asks for. One inside may stand for this machine or its network; the others never do, even if their name comes to.</p>
    <ul class="flex flex-col" data-test="addresses">
      <li v-for="each in addresses" :key="each.address" class="flex items-baseline gap-3 border-b border-rule-soft py-1.5">
        <span class="min-w-0 flex-1 truncate font-mono text-sm">{{ each.address }}</span>
        <span v-if="each.inside" class="text-sm text-straw">inside</span>
        <span class="caption">{{ when(each.allowed_at) }}{{ each.allowed_by ? ` by ${each.allowed_by}` : "" }}</span>
        <button type="button" class="link text-sm" :aria-label="`Remove ${each.address}`" @click="disallow(each)">remove</button>
      </li>
      <li v-if="!addresses.length" class="text-ink-2">None yet, so no tool goes anywhere.</li>
    </ul>
    <form class="flex flex-col gap-2" @submit.prevent="allow">
      <label class="flex max-w-130 flex-col gap-1"><span>Another address</span><input v-model="address" class="field font-mono" placeholder="https://boats.example" data-test="address" /></label>
      <label class="flex items-center gap-2 text-sm"><input v-model="inside" type="checkbox" class="accent-kelp" data-test="inside" />It is inside: this machine or its network</label>
      <p v-if="wrong" class="text-rust" role="alert">{{ wrong }}</p>
      <p><button type="submit" class="button button-main" :disabled="!address.trim()" data-test="allow-address">Allow it</button></p>
    </form>
  </div>
</template>
