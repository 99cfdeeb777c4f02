<script setup lang="ts">
import { ref } from 'vue'
import type { RulebookVersion } from '../../../server/features/rulebook/store.ts'
import { get } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import PlainDialog from '../../components/PlainDialog.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { count, instant } from '../../format.ts'
import { useDraft } from '../../stores/draft.ts'
import { useNotes } from '../../stores/notes.ts'
import { useSession } from '../../stores/session.ts'
import { conditionText } from './words.ts'

const draft = useDraft()
const session = useSession()
const notes = useNotes()
const { data, error, again } = useAnswer(() => draft.latest, (_question, signal) => get<{ versions: { version: number; author: string; note: string; published: string; rules: number }[] }>('/api/rulebook/versions', {}, signal))
const opened = ref<RulebookVersion | null>(null)
const open = (version: number): Promise<void> => get<RulebookVersion>(`/api/rulebook/versions/${version}`).then((found) => { opened.value = found }, notes.fail)
function takeUp({ rulebook, version }: RulebookVersion): void {
  draft.change(rulebook, `Version ${version} is in the draft. It counts once it is published.`)
  opened.value = null
}
</script>

<template>
  <div class="px-7 pb-8">
    <ErrorNote v-if="error" :error="error" @again="again" />
    <p v-else-if="data && data.versions.length === 0">Nothing has been published yet.</p>
    <table v-else-if="data" class="book">
      <thead><tr><th>version</th><th>published</th><th>by</th><th>why</th><th class="num">rules</th><th /></tr></thead>
      <tbody><tr v-for="version in data.versions" :key="version.version"><td class="serif font-bold">{{ version.version }}</td><td>{{ instant(version.published) }}</td><td>{{ version.author }}</td><td>{{ version.note }}</td><td class="num">{{ count(Number(version.rules)) }}</td><td class="text-right"><button class="link" @click="open(version.version)">Open</button></td></tr></tbody>
    </table>
    <PlainDialog :open="opened !== null" :title="opened ? `Version ${opened.version}` : ''" wide @close="opened = null">
      <template v-if="opened">
        <p class="note">{{ opened.author }}, {{ instant(opened.published) }}: {{ opened.note }}</p>
        <ol class="mt-3 max-h-[50vh] list-decimal overflow-auto pl-8"><li v-for="rule in opened.rulebook.rules" :key="rule.id" class="border-b border-rule py-1"><b>{{ rule.name }}</b> <span class="note">{{ rule.conditions.map(conditionText).join(' and ') }} → {{ rule.outcome.code }}{{ rule.enabled ? '' : ', off' }}</span></li></ol>
        <div class="mt-4 flex justify-end gap-5"><button class="link" @click="opened = null">Shut</button><button v-if="session.isKeeper" class="act" @click="takeUp(opened)">Put it in the draft</button></div>
      </template>
    </PlainDialog>
  </div>
</template>
