<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'

withDefaults(defineProps<{ open: boolean; title: string; wide?: boolean }>(), { wide: false })
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <Dialog :open="open" class="relative z-30" @close="emit('close')">
    <div class="fixed inset-0 bg-black/30" aria-hidden="true" />
    <div class="fixed inset-0 flex items-start justify-center overflow-auto p-10">
      <DialogPanel class="w-full border border-rule bg-page p-6 shadow-lg" :class="wide ? 'max-w-4xl' : 'max-w-xl'">
        <DialogTitle as="h2" class="mb-4 text-[19px]!">{{ title }}</DialogTitle>
        <slot />
      </DialogPanel>
    </div>
  </Dialog>
</template>
