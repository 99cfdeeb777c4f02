<script setup lang="ts">
import { computed, ref } from 'vue'
import type { CostCentre } from '../../../core/types.ts'
import type { Matrix, ValueSeries } from '../../../server/features/rulebook/classes.ts'
import type { Health } from '../../../server/features/rulebook/health.ts'
import { get } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import { addDecimals } from '../../decimals.ts'
import { useAnswer } from '../../composables/useAnswer.ts'
import { useDraftAnswer } from '../../composables/useDraftAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, isZero, monthName, monthShortYear } from '../../format.ts'
import { useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'
import ClassChooser from './ClassChooser.vue'
import { placeText } from './words.ts'

const draft = useDraft()
const session = useSession()
const { currency, route, month, go } = usePlace()
const isCode = (code: unknown): code is string => draft.rulebook?.classifications.some((one) => one.code === code) ?? false
const classification = computed({ get: () => (isCode(route.query.class) ? route.query.class : ''), set: (code) => go({ class: code || undefined }) })
/** Crossed with a second classification where one is chosen; `cost-centre` stands for the first. */
const across = computed({ get: () => (route.query.across === 'cost-centre' ? '' : isCode(route.query.across) ? route.query.across : null), set: (code) => go({ across: code === null ? undefined : code || 'cost-centre' }) })
const { data: organisation } = useAnswer(() => 'organisation', (_question, signal) => get<{ units: { code: string; name: string }[]; centres: CostCentre[] }>('/api/organisation', {}, signal))
const centres = computed(() => organisation.value?.centres ?? [])
const { data, error, again } = useDraftAnswer<{ months: string[]; values: ValueSeries[]; totals: string[] }>('/api/rulebook/class-values', () => ({ classification: classification.value }))
const { data: health } = useDraftAnswer<Health>('/api/rulebook/health', () => ({ classification: classification.value }))
const { data: matrix, error: matrixError, again: matrixAgain } = useDraftAnswer<Matrix>('/api/rulebook/matrix', () => (across.value === null ? null : { across: across.value, down: classification.value }))
const nameOf = (value: string | null): string => placeText(value, centres.value, draft.rulebook?.pools ?? [])
const total = computed(() => data.value?.totals.at(-1) ?? '0')
const share = (part: string): string => (Number(total.value) === 0 ? '' : `${((Number(part) / Number(total.value)) * 100).toFixed(1)} %`)
const deducted = computed(() => addDecimals((health.value?.overlaps ?? []).map(({ money }) => money.amount)))

interface Branch { name: string; values: ValueSeries[]; amount: string; months: string[] }
const isTree = ref(true)
/** Cost centres stand under their business unit, other values under what comes before a slash. */
function branchOf(value: string | null): string {
  if (value === null || value === 'unassigned') return ''
  if (classification.value !== '') return value.includes('/') ? value.slice(0, value.indexOf('/')) : ''
  const unit = value.startsWith('cc:') ? centres.value.find(({ code }) => code === value.slice(3))?.unit : undefined
  const known = organisation.value?.units.find(({ code }) => code === unit)
  return known ? `${known.code} ${known.name}` : value.startsWith('pool:') ? 'Pools, before they are shared' : ''
}
const branches = computed((): Branch[] => {
  const groups = new Map<string, ValueSeries[]>()
  for (const one of data.value?.values ?? []) { const name = isTree.value ? branchOf(one.value) : ''; groups.set(name, [...(groups.get(name) ?? []), one]) }
  return [...groups].map(([name, values]) => ({ name, values, amount: addDecimals(values.map((one) => one.amount)), months: data.value!.months.map((_, at) => addDecimals(values.map((one) => one.months[at]!))) })).sort((a, b) => (a.name === '' ? 1 : b.name === '' ? -1 : a.name < b.name ? -1 : 1))
})
const shut = ref(new Set<string>())
const flip = (name: string): void => { const next = new Set(shut.value); if (!next.delete(name)) next.add(name); shut.value = next }
/** Height of each month of a small column drawing, in parts of the largest. */
function columns(months: string[]): number[] {
  const sizes = months.map((text) => Math.max(0, Number(text)))
  const largest = Math.max(1e-9, ...sizes)
  return sizes.map((size) => size / largest)
}
</script>

<template>
  <div class="px-7 pb-8">
    <div class="flex items-baseline justify-between gap-6 pb-2"><ClassChooser v-model="classification" edits /><span class="flex items-baseline gap-4"><label class="note">crossed with <select class="field" data-across :value="across === null ? 'none' : across || 'cost-centre'" @change="go({ across: ($event.target as HTMLSelectElement).value === 'none' ? undefined : ($event.target as HTMLSelectElement).value })"><option value="none">nothing</option><option v-if="classification !== ''" value="cost-centre">cost centre</option><option v-for="one in draft.rulebook?.classifications.filter(({ code }) => code !== classification)" :key="one.code" :value="one.code">{{ one.name }}</option></select></label><label v-if="across === null" class="note flex items-center gap-1"><input v-model="isTree" type="checkbox" /> as a tree</label></span></div>
    <template v-if="across !== null">
      <ErrorNote v-if="matrixError" :error="matrixError" @again="matrixAgain" />
      <div v-else-if="matrix" class="overflow-x-auto" tabindex="0" role="region" aria-label="The two crossed"><table class="book" data-matrix>
        <thead><tr><th class="sticky left-0 z-2">{{ monthName(month) }}, {{ currency }}</th><th v-for="column in matrix.columns" :key="String(column)" class="num">{{ nameOf(column) }}</th><th class="num">in all</th></tr></thead>
        <tbody><tr v-for="(row, at) in matrix.rows" :key="String(row)" :data-row="String(row)"><td class="sticky left-0 bg-page whitespace-nowrap" :class="{ 'text-warn': row === null }">{{ nameOf(row) }}</td><td v-for="(cell, index) in matrix.cells[at]" :key="index" class="num" :data-cell="`${row} ${matrix.columns[index]}`">{{ cell && !isZero(cell) ? amount(cell) : '' }}</td><td class="num font-semibold">{{ amount(matrix.rowTotals[at]!) }}</td></tr></tbody>
        <tfoot><tr class="total"><td class="sticky left-0 bg-page">In all</td><td v-for="(sum, index) in matrix.columnTotals" :key="index" class="num">{{ amount(sum) }}</td><td class="num">{{ amount(matrix.total) }}</td></tr></tfoot>
      </table></div>
      <p v-else class="note">Crossing them…</p>
    </template>
    <template v-else>
      <ErrorNote v-if="error" :error="error" @again="again" />
      <table v-else-if="data" class="book">
        <thead><tr><th>{{ classification === '' ? 'cost centre' : 'value' }}</th><th class="w-56">{{ data.months.length > 1 ? `${monthShortYear(data.months[0]!)} to ${monthShortYear(data.months.at(-1)!)}` : '' }}</th><th class="num">month before</th><th class="num">{{ monthName(month) }}, {{ currency }}</th><th class="num">share</th><th class="w-32" /></tr></thead>
        <tbody v-for="branch in branches" :key="branch.name">
          <tr v-if="branch.name" class="group"><td><button :aria-expanded="!shut.has(branch.name)" class="hover:underline" @click="flip(branch.name)">{{ shut.has(branch.name) ? '▸' : '▾' }} {{ branch.name }}</button></td><td><span class="flex h-5 items-end gap-[3px]" aria-hidden="true"><span v-for="(height, at) in columns(branch.months)" :key="at" class="w-2 bg-[var(--rod)]" :style="{ height: `${height * 100}%` }" /></span></td><td class="num">{{ amount(branch.months.at(-2) ?? null) }}</td><td class="num">{{ amount(branch.amount) }}</td><td class="num">{{ share(branch.amount) }}</td><td /></tr>
          <template v-if="!shut.has(branch.name)"><tr v-for="one in branch.values" :key="String(one.value)" :data-value="one.value ?? 'unassigned'">
            <td :class="{ 'pl-4!': branch.name, 'text-warn': one.value === null }">{{ nameOf(one.value) }}</td>
            <td><span class="flex h-5 items-end gap-[3px]" :title="one.months.map((text, at) => `${monthShortYear(data!.months[at]!)} ${amount(text)}`).join('\n')"><span v-for="(height, at) in columns(one.months)" :key="at" class="w-2" :class="one.value === null ? 'bg-warn' : 'bg-[var(--ink-1)]'" :style="{ height: `${height * 100}%` }" /></span></td>
            <td class="num note">{{ amount(one.months.at(-2) ?? null) }}</td><td class="num font-semibold">{{ amount(one.amount) }}</td><td class="num">{{ share(one.amount) }}</td>
            <td class="text-right"><button v-if="one.value === null && session.isKeeper" class="link" @click="go({ tab: 'unassigned' })">Make rules</button></td>
          </tr></template>
        </tbody>
        <tfoot><tr class="total"><td>Billed</td><td /><td class="num">{{ amount(data.totals.at(-2) ?? null) }}</td><td class="num" data-total>{{ amount(total) }}</td><td /><td /></tr></tfoot>
      </table>
      <p v-else class="note">Adding up twelve months…</p>
      <p v-if="data && !isZero(deducted)" class="note pt-2">Each charge counts once: {{ amount(deducted) }} {{ currency }} that fit more than one rule are counted for the first alone. <button class="link" @click="go({ tab: 'rules' })">See the overlaps</button></p>
      <p v-if="classification === '' && data" class="note pt-1">Direct cost; pools stand by themselves here and are shared when the month is run.</p>
    </template>
  </div>
</template>
