<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import type { Load } from '../../../server/features/intake/store.ts'
import { get, send, sendFile } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { bytes, count, instant } from '../../format.ts'
import { useNotes } from '../../stores/notes.ts'
import { useSession } from '../../stores/session.ts'
import { isAtWork, STATE_WORDS } from './words.ts'

const session = useSession()
const notes = useNotes()
const { go } = usePlace()
const { data, error, again } = useAnswer(() => 'loads', (_question, signal) => get<{ loads: Load[] }>('/api/loads', { limit: 200 }, signal))
const loads = computed(() => data.value?.loads ?? [])
const working = computed(() => loads.value.some(isAtWork))
const { resume, pause } = useIntervalFn(again, 600, { immediate: false })
watch(working, (now, before) => {
  if (now) resume()
  else pause()
  if (before && !now) void session.refresh()
})

interface Sending { name: string; size: number; sent: number; abort: () => void }
const sending = ref<Sending[]>([])
const isOver = ref(false)

async function take(files: FileList | File[] | null | undefined): Promise<void> {
  for (const file of files ?? []) {
    const entry: Sending = { name: file.name, size: file.size, sent: 0, abort: () => {} }
    sending.value.push(entry)
    const own = sending.value.at(-1)!
    const { done, abort } = sendFile<{ id: number }>('/api/loads', file, (sent) => { own.sent = sent })
    own.abort = abort
    try {
      const { id } = await done
      await again()
      if ((files?.length ?? 0) === 1) go({ load: id })
    } catch (failure) {
      notes.fail(failure)
    } finally {
      sending.value = sending.value.filter((candidate) => candidate !== own)
    }
  }
}
function picked(event: Event): void {
  const input = event.target as HTMLInputElement
  void take([...(input.files ?? [])]).finally(() => { input.value = '' })
}
const cancel = (id: number): Promise<void> => send('POST', `/api/loads/${id}/cancel`).then(again, notes.fail)
const speed = (load: Load): string => (load.seconds > 0 && load.readLines > 0 ? `${count(Math.round(load.readLines / load.seconds))} lines/s, ${(load.readBytes / 1e6 / load.seconds).toFixed(1)} MB/s` : '')
</script>

<template>
  <div class="px-7 pb-8">
    <div v-if="session.isKeeper" class="mb-4 flex h-[72px] items-center justify-center border border-dashed" :class="isOver ? 'border-accent bg-wash' : 'border-rule'" @dragover.prevent="isOver = true" @dragleave="isOver = false" @drop.prevent="isOver = false; take($event.dataTransfer?.files)">
      <input id="pick-file" type="file" class="sr-only" multiple accept=".csv,.gz,.parquet" @change="picked" />
      <p v-if="sending.length === 0" class="note">Drop FOCUS files here, or <label for="pick-file" class="link cursor-pointer">pick them</label></p>
      <ul v-else class="w-full px-6">
        <li v-for="file in sending" :key="file.name" class="flex items-center gap-4"><span class="flex-1 truncate">Sending {{ file.name }}</span><span class="note">{{ bytes(file.sent) }} of {{ bytes(file.size) }}</span><button class="link" @click="file.abort()">Cancel</button></li>
      </ul>
    </div>
    <ErrorNote v-if="error" :error="error" @again="again" />
    <p v-else-if="data && loads.length === 0">No file has been loaded yet. Drop the first bill above.</p>
    <table v-else-if="data" class="book">
      <thead><tr><th>load</th><th>file</th><th>state</th><th class="num">lines</th><th class="num">size</th><th class="pl-4!">by</th><th>when</th><th>SHA-256</th><th /></tr></thead>
      <tbody>
        <tr v-for="load in loads" :key="load.id" class="cursor-pointer" @click="go({ load: load.id })">
          <td>{{ load.id }}</td>
          <td class="max-w-64 truncate"><button class="hover:underline" @click.stop="go({ load: load.id })">{{ load.fileName }}</button></td>
          <td :class="{ 'text-warn font-semibold': load.state === 'refused' || load.state === 'failed' || load.state === 'confirming' }">
            {{ STATE_WORDS[load.state] }}<span v-if="isAtWork(load)" class="note"> {{ load.bytes ? Math.floor((load.readBytes / load.bytes) * 100) : 0 }} %, {{ speed(load) }}</span>
          </td>
          <td class="num">{{ count(load.readLines) }}<span v-if="load.refusedLines" class="text-warn"> ({{ count(load.refusedLines) }} refused)</span></td>
          <td class="num">{{ bytes(load.bytes) }}</td><td class="pl-4!">{{ load.user }}</td><td class="note whitespace-nowrap">{{ instant(load.created) }}</td>
          <td class="note"><code :title="load.hash">{{ load.hash.slice(0, 10) }}</code></td>
          <td><button v-if="isAtWork(load) && session.isKeeper" class="link" @click.stop="cancel(load.id)">Cancel</button></td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
