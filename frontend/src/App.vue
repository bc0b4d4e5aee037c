<script setup lang="ts">
import KeyFooter from "./frame/KeyFooter.vue";
import KeyList from "./frame/KeyList.vue";
import NoticeBar from "./frame/NoticeBar.vue";
</script>

<template>
  <div class="flex h-full min-w-[1024px] flex-col">
    <RouterView />
    <NoticeBar />
    <KeyFooter />
    <KeyList />
  </div>
</template>
