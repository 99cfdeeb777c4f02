<script setup lang="ts">
import { computed, ref } from 'vue'
import type { CostCentre } from '../../../core/types.ts'
import type { Effect } from '../../../server/features/rulebook/effect.ts'
import type { RulebookVersion } from '../../../server/features/rulebook/store.ts'
import { get, send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import PlainDialog from '../../components/PlainDialog.vue'
import { addDecimals } from '../../decimals.ts'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, count, instant, monthName } from '../../format.ts'
import { useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'
import { differencesOf } from './differences.ts'
import MovedMoneyTable from './MovedMoneyTable.vue'
import { conditionText, outcomeText } from './words.ts'

const MONTHS_COMPARED = 12
const draft = useDraft()
const session = useSession()
const { currency, route, months, go } = usePlace()
const { data, error, again } = useAnswer(() => draft.latest, (_question, signal) => get<{ versions: { version: number; author: string; note: string; published: string; rules: number }[] }>('/api/rulebook/versions', {}, signal))
const { data: organisation } = useAnswer(() => 'organisation', (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
const centres = computed(() => organisation.value?.centres ?? [])
const number = computed(() => Number(route.query.version) || null)
const read = (version: number, signal: AbortSignal): Promise<RulebookVersion> => get<RulebookVersion>(`/api/rulebook/versions/${version}`, {}, signal)
const { data: opened, error: openError, again: openAgain } = useAnswer(() => number.value, async (version, signal) => ({ version: await read(version, signal), before: version > 1 ? await read(version - 1, signal) : null }), { keep: false })
const differences = computed(() => (opened.value?.before ? differencesOf(opened.value.before.rulebook, opened.value.version.rulebook, centres.value) : []))
/** The same bills under both versions, month by month. */
const { data: effect } = useAnswer(() => (opened.value?.before ? { months: months.value.map(({ month }) => month).slice(-MONTHS_COMPARED), rulebook: opened.value.version.rulebook, against: opened.value.before.version } : null), (question, signal) => send<{ effects: Effect[] }>('POST', '/api/rulebook/effect', question, signal), { keep: false })
const moved = computed(() => (effect.value?.effects ?? []).filter(({ moves }) => moves.length > 0).reverse())
const openMonth = ref<string | null>(null)
const sizeOf = ({ moves }: Effect): string => addDecimals(moves.map((move) => move.amount))
function takeUp({ rulebook, version }: RulebookVersion): void {
  draft.change(rulebook, `Version ${version} is in the draft. It counts once it is published.`)
  go({ version: undefined })
}
</script>

<template>
  <div class="px-7 pb-8">
    <ErrorNote v-if="error" :error="error" @again="again" />
    <p v-else-if="data && data.versions.length === 0">Nothing has been published yet.</p>
    <table v-else-if="data" class="book">
      <thead><tr><th>version</th><th>published</th><th>by</th><th>why</th><th class="num">rules</th><th /></tr></thead>
      <tbody><tr v-for="version in data.versions" :key="version.version"><td class="serif font-bold">{{ version.version }}</td><td>{{ instant(version.published) }}</td><td>{{ version.author }}</td><td>{{ version.note }}</td><td class="num">{{ count(Number(version.rules)) }}</td><td class="text-right"><button class="link" @click="go({ version: version.version })">Open</button></td></tr></tbody>
    </table>
    <PlainDialog :open="number !== null" :title="`Version ${number}`" wide @close="go({ version: undefined })">
      <ErrorNote v-if="openError" :error="openError" @again="openAgain" />
      <template v-else-if="opened">
        <p class="note">{{ opened.version.author }}, {{ instant(opened.version.published) }}: {{ opened.version.note }}</p>
        <div class="mt-3 max-h-[60vh] overflow-auto">
          <template v-if="opened.before">
            <h2>Against version {{ opened.before.version }}, in words</h2>
            <p v-if="differences.length === 0" class="note">No rule, step or pool differs.</p>
            <ul class="mb-4"><li v-for="(one, index) in differences" :key="index" class="flex gap-3 border-b border-rule py-1" data-difference><span class="w-4 shrink-0 font-semibold">{{ one.sign }}</span><span class="note w-32 shrink-0">{{ one.what }}</span><span>{{ one.text }}</span></li></ul>
            <h2>In money, on today’s bills</h2>
            <p v-if="!effect" class="note">Running both versions…</p>
            <p v-else-if="moved.length === 0" class="note">No money moves in any of the last {{ effect.effects.length }} months.</p>
            <table v-else class="book mb-4"><thead><tr><th>month</th><th class="num">moved, {{ currency }}</th></tr></thead><tbody v-for="one in moved" :key="one.month"><tr><td><button class="hover:underline" :aria-expanded="openMonth === one.month" @click="openMonth = openMonth === one.month ? null : one.month">{{ monthName(one.month) }}</button></td><td class="num font-semibold" :data-moved="one.month">{{ amount(sizeOf(one)) }}</td></tr>
              <tr v-if="openMonth === one.month"><td colspan="2"><MovedMoneyTable :moves="one.moves" :more="one.moreMoves" :centres="centres" :pools="opened.version.rulebook.pools" :currency="currency" /></td></tr></tbody></table>
          </template>
          <h2>Its rules</h2>
          <ol class="list-decimal pl-8"><li v-for="rule in opened.version.rulebook.rules" :key="rule.id" class="border-b border-rule py-1"><b>{{ rule.name }}</b> <span class="note">{{ rule.conditions.map(conditionText).join(' and ') }} → {{ outcomeText(rule.outcome, centres, opened.version.rulebook.pools) }}{{ rule.enabled ? '' : ', off' }}</span></li></ol>
        </div>
        <div class="mt-4 flex justify-end gap-5"><button class="link" @click="go({ version: undefined })">Shut</button><button v-if="session.isKeeper" class="act" @click="takeUp(opened.version)">Put it in the draft</button></div>
      </template>
      <p v-else class="note">Reading it…</p>
    </PlainDialog>
  </div>
</template>
