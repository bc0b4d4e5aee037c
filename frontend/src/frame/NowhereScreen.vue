<script setup lang="ts">
import AppHeader from "./AppHeader.vue";
</script>

<template>
  <AppHeader />
  <main class="flex-1 p-10">
    <p class="font-serif text-say">There is nothing at this address.</p>
    <p class="mt-2"><RouterLink to="/" class="link">Go to the desk</RouterLink></p>
  </main>
</template>
