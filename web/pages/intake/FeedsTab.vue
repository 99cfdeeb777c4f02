<script setup lang="ts">
import { ref } from 'vue'
import type { Feed } from '../../../server/features/feeds/store.ts'
import { get, send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import PlainDialog from '../../components/PlainDialog.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { dayName, instant } from '../../format.ts'
import { useNotes } from '../../stores/notes.ts'
import { useSession } from '../../stores/session.ts'

const session = useSession()
const notes = useNotes()
const { data, error, again } = useAnswer(() => session.changes, (_question, signal) => get<{ feeds: Feed[] }>('/api/feeds', {}, signal))
const edited = ref<Omit<Feed, 'id' | 'lastRun' | 'lastResult'> | null>(null)
const editedId = ref<number | null>(null)
const problem = ref('')
const collecting = ref<number | null>(null)
function edit(feed: Feed | null): void {
  editedId.value = feed?.id ?? null
  problem.value = ''
  const { name, url, schedule, enabled, nextDay } = feed ?? { name: '', url: '', schedule: '30 3 * * *', enabled: true, nextDay: session.state?.today ?? '' }
  edited.value = { name, url, schedule, enabled, nextDay }
}
async function keep(): Promise<void> {
  try {
    if (editedId.value === null) await send('POST', '/api/feeds', edited.value)
    else await send('PUT', `/api/feeds/${editedId.value}`, edited.value)
    edited.value = null
    await again()
  } catch (failure) {
    problem.value = (failure as Error).message
  }
}
async function remove(feed: Feed): Promise<void> {
  try {
    await send('DELETE', `/api/feeds/${feed.id}`)
    const { name, url, schedule, enabled, nextDay } = feed
    notes.say(`Feed “${feed.name}” is deleted; what it brought stays.`, { undo: () => void send('POST', '/api/feeds', { name, url, schedule, enabled, nextDay }).then(again) })
    await again()
  } catch (failure) {
    notes.fail(failure)
  }
}
async function collect({ id }: Feed): Promise<void> {
  collecting.value = id
  try {
    const { result } = await send<{ result: string }>('POST', `/api/feeds/${id}/collect`)
    notes.say(result)
    await session.refresh()
  } catch (failure) {
    notes.fail(failure)
  } finally {
    collecting.value = null
  }
}
</script>

<template>
  <div class="px-7 pb-8">
    <div class="flex items-baseline justify-between pb-1"><p class="note">A meter of clusters is asked for each hour of the days that are over, in the Prometheus text format; each day becomes a load with the checks of any file.</p><button v-if="session.isKeeper" class="link" @click="edit(null)">Add a feed</button></div>
    <ErrorNote v-if="error" :error="error" @again="again" />
    <p v-else-if="data && data.feeds.length === 0">No feed: metering comes in as files alone.</p>
    <table v-else-if="data" class="book" data-feeds><thead><tr><th>feed</th><th>address</th><th>collected, UTC</th><th>next day</th><th>last time</th><th /></tr></thead>
      <tbody><tr v-for="feed in data.feeds" :key="feed.id"><td><button class="font-semibold hover:underline" @click="edit(feed)">{{ feed.name }}</button></td><td class="note max-w-72 truncate" :title="feed.url">{{ feed.url }}</td><td><code>{{ feed.schedule }}</code><span v-if="!feed.enabled" class="text-warn"> off</span></td><td class="whitespace-nowrap">{{ dayName(feed.nextDay) }}</td>
        <td class="note" data-feed-result><template v-if="feed.lastRun">{{ instant(feed.lastRun) }}: {{ feed.lastResult }}</template><template v-else>not yet</template></td>
        <td class="text-right whitespace-nowrap"><template v-if="session.isKeeper"><button class="link mr-4" :disabled="collecting !== null" @click="collect(feed)">{{ collecting === feed.id ? 'Collecting…' : 'Collect now' }}</button><button class="note hover:text-warn" @click="remove(feed)">Delete</button></template></td></tr></tbody></table>
    <PlainDialog :open="edited !== null" title="A feed" @close="edited = null">
      <form v-if="edited" @submit.prevent="keep">
        <fieldset :disabled="!session.isKeeper" class="flex flex-col gap-3">
          <label>Name<input v-model.trim="edited.name" class="field mt-1 block w-full" maxlength="200" required /></label>
          <label>Address of the page of metrics<input v-model.trim="edited.url" class="field mt-1 block w-full" maxlength="1000" placeholder="http://meter.example/metrics" required /></label>
          <div class="flex gap-4"><label>Collected<input v-model.trim="edited.schedule" class="field mt-1 block w-40" maxlength="100" required /></label><label>Next day<input v-model="edited.nextDay" type="date" class="field mt-1 block" required /></label><label class="self-end pb-1"><input v-model="edited.enabled" type="checkbox" /> on</label></div>
          <p class="note">Minute, hour, day, month, weekday: 30 3 * * * is half past three each night. Set the next day back to collect days again; what is the same changes nothing.</p>
        </fieldset>
        <p v-if="problem" class="mt-2 text-warn" role="alert">{{ problem }}</p>
        <div class="mt-4 flex justify-end gap-5"><button type="button" class="link" @click="edited = null">Leave it</button><button v-if="session.isKeeper" class="act">Keep the feed</button></div>
      </form>
    </PlainDialog>
  </div>
</template>
