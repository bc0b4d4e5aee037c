<script setup lang="ts"></script>

<template>
  <header class="flex h-[57px] shrink-0 items-stretch border-b border-rule bg-sheet">
    <RouterLink
      to="/"
      class="flex items-center border-r border-rule-soft px-[18px] font-serif text-[22px] text-kelp italic"
      title="The desk"
      >epistem</RouterLink
    >
    <slot />
  </header>
</template>
