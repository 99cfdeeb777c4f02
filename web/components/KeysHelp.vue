<script setup lang="ts">
import { KEYS } from '../composables/useKeys.ts'
import PlainDialog from './PlainDialog.vue'

defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <PlainDialog :open="open" title="Keys" @close="emit('close')">
    <table class="book"><tbody>
      <tr v-for="[key, text] in KEYS" :key="key"><td class="w-40"><kbd class="serif">{{ key }}</kbd></td><td>{{ text }}</td></tr>
    </tbody></table>
  </PlainDialog>
</template>
