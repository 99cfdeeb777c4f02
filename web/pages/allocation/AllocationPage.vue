<script setup lang="ts">
import { computed, ref } from 'vue'
import { writeFilter, type KeyFilter } from '../../../core/workings/keyFilter.ts'
import { writeRef } from '../../../core/workings/workings.ts'
import type { WayOfMoney } from '../../../server/features/allocation/routes.ts'
import type { Replay } from '../../../server/features/allocation/replay.ts'
import type { RunRow } from '../../../server/features/allocation/store.ts'
import { get, send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import FigureButton from '../../components/FigureButton.vue'
import PageHead from '../../components/PageHead.vue'
import TabRow from '../../components/TabRow.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, instant, isZero, monthName } from '../../format.ts'
import { useNotes } from '../../stores/notes.ts'
import { useSession } from '../../stores/session.ts'
import ClustersTab from './ClustersTab.vue'
import MoneyFlow from './MoneyFlow.vue'
import NetworkTab from './NetworkTab.vue'
import PeriodState from './PeriodState.vue'

const session = useSession()
const notes = useNotes()
const { route, month, months, basis, linkTo, go } = usePlace()
const TABS = { way: 'Way of the money', clusters: 'Clusters', network: 'Network' }
const tab = computed(() => (Object.hasOwn(TABS, String(route.query.tab)) ? String(route.query.tab) : 'way'))
const { data: way, error, isLoading, again } = useAnswer(() => ({ month: month.value, basis: basis.value, changes: session.changes }), (_question, signal) => get<WayOfMoney & { runs: RunRow[] }>('/api/allocation', { month: month.value, basis: basis.value }, signal))
const isRunning = ref(false)
const state = computed(() => months.value.find((candidate) => candidate.month === month.value)?.state ?? 'open')

async function run(): Promise<void> {
  isRunning.value = true
  try {
    const { runId } = await send<{ runId: number }>('POST', `/api/allocation/${month.value}`)
    notes.say(`Run ${runId} of ${monthName(month.value)} is done and balances.`)
    await session.refresh()
  } catch (failure) {
    notes.fail(failure)
  } finally {
    isRunning.value = false
  }
}
const replays = ref<Record<number, string>>({})
/** A former run computed anew from what it read. */
async function replay(runId: number): Promise<void> {
  replays.value[runId] = 'working…'
  try {
    const { isSame, cells, hasOwnCentres } = await send<Replay>('POST', `/api/allocation/runs/${runId}/replay`)
    replays.value[runId] = `${isSame ? `all ${cells} figures are the same, to the last digit` : 'figures differ'}${hasOwnCentres ? '' : ', with the cost centres as they are today'}`
  } catch (failure) {
    delete replays.value[runId]
    notes.fail(failure)
  }
}
const keys = (filter: KeyFilter): string => writeRef({ kind: 'keys', month: month.value, basis: basis.value, parts: writeFilter(filter) })
const figure = (kind: string, ...parts: string[]): string => writeRef({ kind, month: month.value, basis: basis.value, parts })
const words = { none: 'not run yet', current: 'current', outOfDate: 'out of date' } as const
</script>

<template>
  <PageHead title="Allocation" :detail="monthName(month)" :below="way?.run ? `Run ${way.run.id} under rulebook ${way.run.version} by ${way.run.user}, ${instant(way.run.created)}; ${words[way.standing]}. ${basis === 'billed' ? 'Billed' : 'Effective'} cost in ${way.currency}.` : ''">
    <PeriodState :month="month" :state="state" />
    <button v-if="session.isKeeper" class="act" :disabled="isRunning || state === 'closed'" :title="state === 'closed' ? 'The period is closed' : ''" @click="run">{{ isRunning ? 'Running…' : way?.run ? 'Run again' : 'Run the allocation' }}</button>
  </PageHead>
  <TabRow :tabs="TABS" :chosen="tab" @choose="(name) => go({ tab: name, at: undefined, by: undefined, from: undefined, to: undefined, off: undefined, figure: undefined })" />
  <ClustersTab v-if="tab === 'clusters'" />
  <NetworkTab v-else-if="tab === 'network'" />
  <div v-else class="px-7 pb-8">
    <ErrorNote v-if="error" :error="error" @again="again" />
    <p v-else-if="!way && isLoading" class="note">Following the money…</p>
    <p v-else-if="way && !way.run">{{ monthName(month) }} has not been allocated. Run it to see where the money goes.</p>
    <template v-else-if="way">
      <p v-if="way.standing === 'outOfDate'" class="mb-3 border-l-2 border-warn pl-3 text-warn">Bills, rates, cost centres or the rulebook have changed since this run. What you see is the run as it was; run it again to bring it up to date.</p>
      <p v-for="problem in way.run?.problems ?? []" :key="problem.message" class="mb-2 border-l-2 border-warn pl-3">{{ problem.message }}</p>
      <MoneyFlow :way="way" :keys="keys" :figure="figure" />
      <div class="mt-6 grid grid-cols-2 gap-x-10 gap-y-6 max-[1100px]:grid-cols-1">
        <section>
          <h2>From the bills</h2>
          <table class="book">
            <thead><tr><th>provider</th><th class="num">in all</th><th class="num">direct</th><th class="num">to pools</th><th v-if="way.asides.length" class="num">set aside</th><th class="num">unassigned</th></tr></thead>
            <tbody><tr v-for="provider in way.providers" :key="provider.name">
              <td>{{ provider.name }}</td>
              <td class="num font-semibold"><FigureButton :value="provider.amount" :figure="keys({ provider: provider.name })" /></td>
              <td class="num"><FigureButton :value="provider.direct" :figure="keys({ kind: 'direct', provider: provider.name })" /></td>
              <td class="num"><FigureButton :value="provider.pools" :figure="keys({ kind: 'pool', provider: provider.name })" /></td>
              <td v-if="way.asides.length" class="num"><FigureButton :value="provider.aside" :figure="keys({ kind: 'aside', provider: provider.name })" /></td>
              <td class="num" :class="{ 'text-warn': !isZero(provider.unassigned) }"><FigureButton :value="provider.unassigned" :figure="keys({ kind: 'unassigned', provider: provider.name })" /></td>
            </tr></tbody>
          </table>
          <h2 class="mt-6">Through the pools</h2>
          <table class="book">
            <thead><tr><th>pool</th><th>shared</th><th class="num">in all</th><th class="num">held</th></tr></thead>
            <tbody><tr v-for="pool in way.pools" :key="pool.code"><td>{{ pool.name }}</td><td class="note">{{ pool.base }}</td><td class="num font-semibold"><FigureButton :value="pool.amount" :figure="figure('pool', pool.code)" /></td><td class="num" :class="{ 'text-warn': !isZero(pool.held) }">{{ amount(pool.held) }}</td></tr></tbody>
          </table>
          <template v-if="way.asides.length">
            <h2 class="mt-6">Set aside by rules</h2>
            <table class="book"><thead><tr><th>reason</th><th class="num">held</th></tr></thead><tbody><tr v-for="one in way.asides" :key="one.reason"><td>{{ one.reason }}</td><td class="num font-semibold"><FigureButton :value="one.amount" :figure="keys({ kind: 'aside', target: one.reason })" /></td></tr></tbody></table>
          </template>
        </section>
        <section>
          <h2>To the cost centres</h2>
          <table class="book">
            <thead><tr><th>cost centre</th><th class="num">direct</th><th class="num">from pools</th><th class="num">charged</th></tr></thead>
            <tbody><tr v-for="centre in way.centres" :key="centre.code">
              <td><RouterLink :to="linkTo(`/statements/cc:${centre.code}`)" class="hover:underline">{{ centre.code }} {{ centre.name }}</RouterLink></td>
              <td class="num"><FigureButton :value="centre.direct" :figure="figure('statement', `cc:${centre.code}`, 'direct')" /></td>
              <td class="num"><FigureButton :value="centre.pools" :figure="figure('statement', `cc:${centre.code}`, 'pool')" /></td>
              <td class="num font-semibold"><FigureButton :value="centre.amount" :figure="figure('statement', `cc:${centre.code}`)" /></td>
            </tr></tbody>
            <tfoot v-if="!isZero(way.unassigned)"><tr><td class="text-warn">Unassigned</td><td /><td><RouterLink class="link" :to="linkTo('/rulebook?tab=unassigned')">Make rules ›</RouterLink></td><td class="num font-semibold text-warn"><FigureButton :value="way.unassigned" :figure="keys({ kind: 'unassigned' })" /></td></tr></tfoot>
          </table>
        </section>
        <section v-if="way.markUps.length" data-mark-ups>
          <h2>Mark-up, on top of what is charged</h2>
          <table class="book"><thead><tr><th>fee</th><th>recovery account</th><th class="num">cost centres</th><th class="num">{{ way.currency }}</th></tr></thead>
            <tbody><tr v-for="fee in way.markUps" :key="fee.name"><td>{{ fee.name }}</td><td>{{ fee.recoveryAccount }}</td><td class="num">{{ fee.centres }}</td><td class="num font-semibold">{{ amount(fee.amount) }}</td></tr></tbody></table>
          <p class="note">Not part of the balance: it is no cost, and stands apart on each statement.</p>
        </section>
        <section class="col-span-full">
          <h2>Runs of this month</h2>
          <table class="book"><thead><tr><th>run</th><th>when</th><th>by</th><th>rulebook</th><th>figures</th><th /></tr></thead>
            <tbody><tr v-for="(past, index) in way.runs" :key="past.id"><td>{{ past.id }}</td><td>{{ instant(past.created) }}</td><td>{{ past.user }}</td><td>{{ past.version }}</td><td class="note">{{ way.runs[index + 1] ? (way.runs[index + 1]!.resultHash === past.resultHash ? 'the same as the run before, to the last digit' : 'changed against the run before') : 'first run' }}<span v-if="replays[past.id]" class="text-accent" data-replay>. Replayed: {{ replays[past.id] }}</span></td><td class="text-right"><button class="link" :disabled="replays[past.id] === 'working…'" @click="replay(past.id)">Replay</button></td></tr></tbody>
          </table>
        </section>
      </div>
    </template>
  </div>
</template>
