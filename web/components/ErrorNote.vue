<script setup lang="ts">
defineProps<{ error: Error }>()
const emit = defineEmits<{ again: [] }>()
</script>

<template>
  <div class="my-3 border-l-2 border-warn pl-3" role="alert">
    <p class="text-warn">{{ error.message }}</p>
    <button class="link mt-1" @click="emit('again')">Try again</button>
  </div>
</template>
