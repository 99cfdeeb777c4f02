<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Load } from '../../../server/features/intake/store.ts'
import { send } from '../../api/client.ts'
import { useNotes } from '../../stores/notes.ts'

const props = defineProps<{ load: Load; mapping: { missing: Record<string, string | null>; unknown: string[]; provider: string } }>()
const emit = defineEmits<{ mapped: [] }>()
const notes = useNotes()
const chosen = ref<Record<string, string>>(Object.fromEntries(Object.entries(props.mapping.missing).map(([target, proposal]) => [target, proposal ?? ''])))
const provider = ref(props.mapping.provider)
const isComplete = computed(() => provider.value.trim() !== '' && Object.values(chosen.value).every(Boolean) && new Set(Object.values(chosen.value)).size === Object.keys(chosen.value).length)

async function map(): Promise<void> {
  try {
    await send('POST', `/api/loads/${props.load.id}/map`, { provider: provider.value.trim(), columns: Object.fromEntries(Object.entries(chosen.value).map(([target, source]) => [source, target])) })
    emit('mapped')
  } catch (failure) {
    notes.fail(failure)
  }
}
</script>

<template>
  <section class="mt-4 border-l-2 border-ochre pl-4">
    <h2>Map the columns by hand</h2>
    <p class="note">Choose which column of the file stands for each one that is missing. The choice is remembered for this provider.</p>
    <label class="mt-2 block">Provider, as the file writes it <input v-model="provider" class="field ml-2" maxlength="200" /></label>
    <table class="book mt-2"><tbody><tr v-for="(_, target) in mapping.missing" :key="target"><td class="w-56">{{ target }}</td><td><select v-model="chosen[target]" class="field" :aria-label="`Column for ${target}`"><option value="">choose…</option><option v-for="name in mapping.unknown" :key="name">{{ name }}</option></select></td></tr></tbody></table>
    <button class="act mt-3" :disabled="!isComplete" @click="map">Map and load again</button>
  </section>
</template>
