<script setup lang="ts">
defineProps<{ tabs: Record<string, string>; chosen: string }>()
const emit = defineEmits<{ choose: [name: string] }>()
</script>

<template>
  <div role="tablist" class="no-print mx-7 mb-3 flex gap-6 border-b border-rule">
    <button v-for="(label, name) in tabs" :key="name" role="tab" :aria-selected="name === chosen" class="-mb-px border-b-2 pb-1" :class="name === chosen ? 'border-accent font-semibold' : 'border-transparent text-soft hover:text-ink'" @click="emit('choose', String(name))">{{ label }}</button>
  </div>
</template>
