<script setup lang="ts">
import { CategoryScale, Chart, Legend, LineController, LineElement, LinearScale, PointElement, Tooltip } from 'chart.js'
import { computed } from 'vue'
import { Line } from 'vue-chartjs'
import { daysOf } from '../../../core/calendar/month.ts'
import { TRAFFIC_SIDES, type TrafficSide } from '../../../core/network/traffic.ts'
import type { CostCentre } from '../../../core/types.ts'
import type { TrafficLine, TrafficView } from '../../../server/features/network/routes.ts'
import { fileAddress, get, send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, count, dayName } from '../../format.ts'
import { useNotes } from '../../stores/notes.ts'
import { useSession } from '../../stores/session.ts'
import { inkOf } from '../../theme.ts'

Chart.register(LineController, LineElement, PointElement, CategoryScale, LinearScale, Tooltip, Legend)
const session = useSession()
const notes = useNotes()
const { route, month, basis, go } = usePlace()
const SIDES: Record<TrafficSide, string> = { network: 'network', service: 'service', costCentre: 'cost centre', account: 'account' }
const text = (name: string, otherwise: string): string => (typeof route.query[name] === 'string' ? String(route.query[name]) : otherwise)
const from = computed(() => text('from', `${month.value}-01`))
const to = computed(() => text('to', daysOf(month.value).at(-1)!))
const by = computed<TrafficSide>(() => (TRAFFIC_SIDES.includes(route.query.by as TrafficSide) ? (route.query.by as TrafficSide) : 'network'))
const question = computed(() => ({ from: from.value, to: to.value, by: by.value, basis: basis.value }))
const { data: view, error, isLoading, again } = useAnswer(() => ({ ...question.value, changes: session.changes }), (_question, signal) => get<TrafficView>('/api/network', question.value, signal))
const { data: organisation } = useAnswer(() => 'organisation', (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
const centres = computed(() => organisation.value?.centres ?? [])

/** series and columns that are switched off, in the address */
const off = computed(() => new Set(text('off', '').split('~').filter(Boolean)))
function flip(name: string): void {
  const next = new Set(off.value)
  if (!next.delete(name)) next.add(name)
  go({ off: [...next].join('~') || undefined }, { replace: true })
}
const services = computed(() => (view.value?.services ?? []).filter((service) => !off.value.has(`to:${service}`)))
const nameOf = (name: string): string => (name === '' ? 'nobody’s' : by.value === 'costCentre' ? [name, centres.value.find(({ code }) => code === name)?.name].filter(Boolean).join(' ') : name)
const gigabytes = (bytes: number): string => count(Math.round(bytes / 1e8) / 10)
const total = computed(() => (view.value?.rows ?? []).reduce((sum, { bytes }) => sum + bytes, 0))
const share = (row: TrafficLine): string => (total.value > 0 ? `${((row.bytes / total.value) * 100).toFixed(1)} %` : '')
const MOST_SERIES = 8
const shown = computed(() => (view.value?.rows ?? []).slice(0, MOST_SERIES))
const chart = computed(() => ({
  labels: (view.value?.days ?? []).map((day) => dayName(day).replace(/ \d{4}$/, '')),
  datasets: shown.value.flatMap((row, index) => (off.value.has(row.name) ? [] : [{ label: nameOf(row.name), data: (view.value?.days ?? []).map((day) => (row.days[day] ?? 0) / 1e9), borderColor: inkOf(`ink-${index + 1}`), backgroundColor: inkOf(`ink-${index + 1}`), pointRadius: 0, borderWidth: 1.6 }])),
}))
const options = computed(() => ({
  responsive: true, maintainAspectRatio: false, interaction: { mode: 'index' as const, intersect: false }, plugins: { legend: { display: false } },
  scales: { x: { grid: { display: false }, ticks: { color: inkOf('soft'), maxTicksLimit: 10, maxRotation: 0 } }, y: { beginAtZero: true, grid: { color: inkOf('rule') }, ticks: { color: inkOf('soft'), maxTicksLimit: 5 }, border: { display: false }, title: { display: true, text: 'GB a day', color: inkOf('soft') } } },
}))
async function give(name: string, costCentre: string): Promise<void> {
  try {
    await send('PUT', `/api/networks/${encodeURIComponent(name)}`, { costCentre: costCentre || null })
    await session.refresh()
    notes.say(`Traffic of ${name} ${costCentre ? `counts for ${costCentre}` : 'counts for nobody'}. Months shared otherwise are now out of date.`)
  } catch (failure) {
    notes.fail(failure)
  }
}
</script>

<template>
  <div class="px-7 pb-8">
    <form class="flex flex-wrap items-baseline gap-4 pb-2" @submit.prevent>
      <label>from <input class="field" type="date" aria-label="From" :value="from" @change="go({ from: ($event.target as HTMLInputElement).value || undefined })" /></label><label>to <input class="field" type="date" aria-label="To" :value="to" @change="go({ to: ($event.target as HTMLInputElement).value || undefined })" /></label>
      <label>by <select class="field" aria-label="Traffic by" :value="by" @change="go({ by: ($event.target as HTMLSelectElement).value, off: undefined })"><option v-for="(label, side) in SIDES" :key="side" :value="side">{{ label }}</option></select></label>
      <span class="note">columns: <label v-for="service in view?.services ?? []" :key="service" class="ml-2 whitespace-nowrap"><input type="checkbox" :checked="!off.has(`to:${service}`)" :aria-label="`Column ${service}`" @change="flip(`to:${service}`)" /> {{ service }}</label></span>
      <a class="link ml-auto" :href="fileAddress('/api/network.csv', question)" download>CSV</a>
    </form>
    <ErrorNote v-if="error" :error="error" @again="again" />
    <p v-else-if="!view && isLoading" class="note">Adding up the traffic…</p>
    <p v-else-if="view && view.rows.length === 0">No flows in this time. Files of flows come in by Intake, with the columns Day, Source, Network, Account, Service, Bytes.</p>
    <template v-else-if="view">
      <div class="h-52"><Line :data="chart" :options="options" :aria-label="`Gigabytes a day by ${SIDES[by]}`" role="img" /></div>
      <table class="book mt-3" data-traffic>
        <thead><tr><th class="w-8" /><th>{{ SIDES[by] }}</th><th class="num">GB</th><th class="num">of all</th><th class="num">cost, {{ view.currency }}</th><template v-for="service in services" :key="service"><th class="num" :title="view.pools[service] ? `shares ${view.pools[service]!.join(', ')}` : 'shares no pool'">GB to {{ service }}</th><th class="num">its cost</th></template></tr></thead>
        <tbody><tr v-for="(row, index) in view.rows" :key="row.name" :data-traffic-row="row.name">
          <td><label v-if="index < MOST_SERIES" class="flex items-center gap-1"><input type="checkbox" :checked="!off.has(row.name)" :aria-label="`Series ${nameOf(row.name)}`" @change="flip(row.name)" /><span class="inline-block h-[3px] w-3" :style="{ background: `var(--ink-${index + 1})` }" /></label></td>
          <td class="font-semibold" :class="{ 'text-warn': row.name === '' }">{{ nameOf(row.name) }}</td><td class="num">{{ gigabytes(row.bytes) }}</td><td class="num">{{ share(row) }}</td><td class="num font-semibold">{{ amount(row.amount) }}</td>
          <template v-for="service in services" :key="service"><td class="num">{{ gigabytes(row.services[service]?.bytes ?? 0) }}</td><td class="num">{{ amount(row.services[service]?.amount ?? '0.00') }}</td></template>
        </tr></tbody>
        <tfoot><tr class="total"><td /><td>In all</td><td class="num">{{ gigabytes(total) }}</td><td /><td class="num">{{ amount(view.total) }}</td><td :colspan="services.length * 2" /></tr></tfoot>
      </table>
      <p class="note mt-2">Money is what cost centres were charged of pools that are shared by this traffic, divided over days and networks by their bytes<template v-for="(names, service) in view.pools" :key="service">; {{ service }} shares {{ names.join(', ') }}</template>.</p>
      <section class="mt-6"><h2>Whose each network is</h2>
        <table class="book max-w-3xl" data-networks><thead><tr><th>network</th><th>account</th><th>cost centre</th></tr></thead>
          <tbody><tr v-for="network in view.networks" :key="network.name"><td>{{ network.name }}</td><td class="note">{{ network.account }}</td><td><select class="field" :aria-label="`Cost centre of ${network.name}`" :disabled="!session.isKeeper" :value="network.costCentre ?? ''" @change="give(network.name, ($event.target as HTMLSelectElement).value)"><option value="">nobody’s: counts for nobody</option><option v-for="centre in centres" :key="centre.code" :value="centre.code">{{ centre.code }} {{ centre.name }}</option></select></td></tr></tbody></table></section>
    </template>
  </div>
</template>
