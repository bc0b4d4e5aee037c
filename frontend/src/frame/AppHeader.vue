<script setup lang="ts"></script>

<template>
  <header class="flex h-14.25 shrink-0 items-stretch border-b border-rule bg-sheet">
    <RouterLink
      to="/"
      class="flex items-center border-r border-rule-soft px-edge font-serif text-name text-kelp italic"
      title="The desk"
      >epistem</RouterLink
    >
    <slot />
  </header>
</template>
