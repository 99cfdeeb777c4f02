import { defineStore } from 'pinia'
import { ref } from 'vue'

export interface Note { id: number; text: string; isError: boolean; undo: (() => void) | null }

let serial = 0

/** Short messages at the foot of the page, with an undo where an act can be taken back. */
export const useNotes = defineStore('notes', () => {
  const notes = ref<Note[]>([])
  const dismiss = (id: number): void => { notes.value = notes.value.filter((note) => note.id !== id) }
  /** The number of the note, by which it can be withdrawn. */
  function say(text: string, { undo = null, isError = false }: { undo?: (() => void) | null; isError?: boolean } = {}): number {
    const id = ++serial
    notes.value = [...notes.value.slice(-2), { id, text, isError, undo }]
    setTimeout(() => dismiss(id), isError ? 15_000 : 8_000)
    return id
  }
  const fail = (error: unknown): void => { say((error as Error).message, { isError: true }) }
  /** The note stays, its undo goes: what came after it would be lost. */
  const withdrawUndo = (id: number): void => { notes.value = notes.value.map((note) => (note.id === id ? { ...note, undo: null } : note)) }
  return { notes, say, fail, dismiss, withdrawUndo }
})
