<script setup lang="ts">
import { useQueryClient } from "@tanstack/vue-query";
import { onScopeDispose } from "vue";

import { followLive } from "./api/live";
import KeyFooter from "./frame/KeyFooter.vue";
import KeyList from "./frame/KeyList.vue";
import NoticeBar from "./frame/NoticeBar.vue";

onScopeDispose(followLive(useQueryClient()));
</script>

<template>
  <div class="flex h-full min-w-256 flex-col">
    <RouterView />
    <NoticeBar />
    <KeyFooter />
    <KeyList />
  </div>
</template>
