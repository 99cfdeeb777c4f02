<script setup lang="ts">
defineProps<{ title: string; detail?: string; below?: string }>()
</script>

<template>
  <div class="flex items-start justify-between gap-6 px-7 pt-4 pb-3">
    <div class="min-w-0">
      <h1 class="inline">{{ title }}</h1>
      <span v-if="detail" class="ml-4 text-soft">{{ detail }}</span>
      <p v-if="below" class="note mt-1">{{ below }}</p>
    </div>
    <div class="no-print flex shrink-0 items-center gap-5"><slot /></div>
  </div>
</template>
