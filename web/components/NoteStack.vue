<script setup lang="ts">
import { useNotes } from '../stores/notes.ts'

const store = useNotes()
function takeBack(id: number, undo: () => void): void {
  undo()
  store.dismiss(id)
}
</script>

<template>
  <div class="no-print fixed bottom-14 left-1/2 z-40 flex w-[min(640px,90vw)] -translate-x-1/2 flex-col gap-2" role="status" aria-live="polite">
    <div v-for="note in store.notes" :key="note.id" class="flex items-center gap-4 border bg-page px-4 py-2 shadow-md" :class="note.isError ? 'border-warn' : 'border-rule'">
      <span class="flex-1" :class="{ 'text-warn': note.isError }">{{ note.text }}</span>
      <button v-if="note.undo" class="link" @click="takeBack(note.id, note.undo)">Undo</button>
      <button class="note" aria-label="Dismiss" @click="store.dismiss(note.id)">Shut</button>
    </div>
  </div>
</template>
