<script setup lang="ts">
import { computed } from 'vue'
import { FOLLOWED, settingName } from '../../../core/classify/settled.ts'
import { fieldLabel } from '../../../core/charges/attributes.ts'
import { SPECIAL_KINDS, type CostCentre, type SpecialKind, type SpecialWay } from '../../../core/types.ts'
import type { SpecialView } from '../../../server/features/special/view.ts'
import { get } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { useDraftAnswer } from '../../composables/useDraftAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { evenRows } from '../../decimals.ts'
import { amount, count, isZero, monthName, monthShortYear } from '../../format.ts'
import { useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'
import TargetField from './TargetField.vue'
import { placeText } from './words.ts'

const draft = useDraft()
const session = useSession()
const { month, basis } = usePlace()
const { data: organisation } = useAnswer(() => 'organisation', (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
const centres = computed(() => organisation.value?.centres ?? [])
const { data: view, error, isLoading, again } = useDraftAnswer<SpecialView>('/api/rulebook/special', () => ({ basis: basis.value }))
const special = computed(() => draft.rulebook?.special ?? {})
const rowOf = (kind: SpecialKind): SpecialView['kinds'][number] | undefined => view.value?.kinds.find((one) => one.kind === kind)
const title = (kind: SpecialKind): string => { const name = settingName(kind); return name.charAt(0).toUpperCase() + name.slice(1) }
const followText = (kind: SpecialKind): string => `follow the charges of the same ${FOLLOWED[kind].map((field) => fieldLabel(field).toLowerCase().replace(/\bid\b/g, 'ID')).join(' and ')}`
function setWay(kind: SpecialKind, name: SpecialWay['kind']): void {
  const way: SpecialWay = name === 'pool' ? { kind: name, code: draft.rulebook!.pools[0]?.code ?? '' } : name === 'costCentre' ? { kind: name, code: centres.value[0]?.code ?? '' } : name === 'aside' ? { kind: name, reason: 'to be settled' } : { kind: name }
  keep(kind, way)
}
function keep(kind: SpecialKind, way: SpecialWay): void {
  const others = Object.fromEntries(Object.entries(special.value).filter(([name]) => name !== kind))
  draft.change({ ...draft.rulebook!, special: way.kind === 'rules' ? others : { ...others, [kind]: way } })
}
const wayOf = (kind: SpecialKind): SpecialWay => special.value[kind] ?? { kind: 'rules' }
const targetsOf = (kind: 'pool' | 'costCentre'): { code: string; label: string }[] => (kind === 'pool' ? (draft.rulebook?.pools ?? []) : centres.value).map(({ code, name }) => ({ code, label: `${code} ${name}` }))
const codeOf = (kind: SpecialKind): string => { const way = wayOf(kind); return way.kind === 'pool' || way.kind === 'costCentre' ? way.code : '' }
const reasonOf = (kind: SpecialKind): string => { const way = wayOf(kind); return way.kind === 'aside' ? way.reason : '' }
const plain = (decimal: string): string => amount(decimal)
const movement = (line: SpecialView['schedule'][number]): boolean => ![line.opening, line.purchased, line.used, line.unused].every(isZero)
const schedule = computed(() => evenRows((view.value?.schedule ?? []).filter(movement).slice(-24), 'opening', 'purchased', 'used', 'unused', 'closing'))
const reconciliation = computed(() => evenRows(view.value?.reconciliation ?? [], 'billed', 'effective', 'difference', 'movement'))
</script>

<template>
  <div class="px-7 pb-8">
    <p class="note pb-2">Charges that are no use of a service. Each kind goes by the rules like any other charge, or by a setting that is asked before them.</p>
    <ErrorNote v-if="error" :error="error" @again="again" />
    <p v-else-if="!view && isLoading" class="note">Looking for them…</p>
    <template v-else-if="view">
      <p v-for="problem in view.problems" :key="problem" class="mb-2 border-l-2 border-warn pl-3">{{ problem }}</p>
      <table class="book" data-special>
        <thead><tr><th>kind</th><th class="num">charges</th><th class="num">billed, {{ view.currency }}</th><th class="num">effective</th><th class="pl-5!">where it goes</th><th>in {{ monthName(month) }}: to whom, and why</th><th class="num">{{ basis }}</th></tr></thead>
        <tbody v-for="kind in SPECIAL_KINDS" :key="kind" :data-special-kind="kind">
          <tr v-for="(place, index) in rowOf(kind)?.places ?? [null]" :key="index" class="align-top">
            <template v-if="index === 0"><td class="font-semibold" :rowspan="Math.max(1, rowOf(kind)?.places.length ?? 1)">{{ title(kind) }}</td>
              <td class="num" :rowspan="Math.max(1, rowOf(kind)?.places.length ?? 1)">{{ count(rowOf(kind)?.charges ?? 0) }}</td><td class="num" :rowspan="Math.max(1, rowOf(kind)?.places.length ?? 1)">{{ rowOf(kind) ? plain(rowOf(kind)!.billed) : '' }}</td><td class="num" :rowspan="Math.max(1, rowOf(kind)?.places.length ?? 1)">{{ rowOf(kind) ? plain(rowOf(kind)!.effective) : '' }}</td>
              <td class="pl-5!" :rowspan="Math.max(1, rowOf(kind)?.places.length ?? 1)"><span class="flex flex-col gap-1"><select class="field w-64" :aria-label="`Where ${settingName(kind)} go`" :disabled="!session.isKeeper" :value="wayOf(kind).kind" @change="setWay(kind, ($event.target as HTMLSelectElement).value as SpecialWay['kind'])"><option value="rules">by the rules</option><option value="follow">{{ followText(kind) }}</option><option value="costCentre">to a cost centre</option><option value="pool">to a pool</option><option value="aside">set aside, charged to nobody</option></select>
                <TargetField v-if="wayOf(kind).kind === 'pool' || wayOf(kind).kind === 'costCentre'" :model-value="codeOf(kind)" :targets="targetsOf(wayOf(kind).kind as 'pool' | 'costCentre')" :label="`Target of ${settingName(kind)}`" @update:model-value="(code) => keep(kind, { kind: wayOf(kind).kind as 'pool' | 'costCentre', code })" />
                <input v-if="wayOf(kind).kind === 'aside'" class="field" :aria-label="`Reason for ${settingName(kind)}`" :value="reasonOf(kind)" @change="keep(kind, { kind: 'aside', reason: ($event.target as HTMLInputElement).value })" /></span></td></template>
            <td><template v-if="place"><span :class="{ 'text-warn': place.place === 'unassigned' }">{{ placeText(place.place, centres, draft.rulebook?.pools ?? []) }}</span><span v-if="place.by" class="note">, {{ place.by }}</span></template><span v-else class="note">none in this month</span></td>
            <td class="num">{{ place ? plain(place.amount) : '' }}</td>
          </tr>
        </tbody>
      </table>
      <h2 class="mt-8">Billed and effective cost, tied by what is prepaid</h2>
      <p class="note pb-1">Billed is what invoices ask for; effective spreads what was paid in advance over its use. The difference is what the prepaid account moved, to the last digit.</p>
      <table class="book" data-reconciliation><thead><tr><th>provider</th><th class="num">billed</th><th class="num">− effective</th><th class="num">= difference</th><th class="num">prepaid moved by</th><th /><th class="pl-3!" /></tr></thead>
        <tbody><tr v-for="line in reconciliation" :key="line.provider + line.currency"><td>{{ line.provider }}</td><td class="num">{{ plain(line.billed) }}</td><td class="num">{{ plain(line.effective) }}</td><td class="num">{{ plain(line.difference) }}</td><td class="num">{{ plain(line.movement) }}</td><td class="note pl-3!">{{ line.currency }}</td><td><span v-if="line.difference === line.movement" class="text-accent">✓</span><b v-else class="text-warn">differs</b></td></tr></tbody></table>
      <template v-if="schedule.length">
        <h2 class="mt-6">Prepaid commitments</h2>
        <table class="book" data-prepaid><thead><tr><th>month</th><th>provider</th><th>commitment</th><th class="num">opening</th><th class="num">+ purchased</th><th class="num">− used</th><th class="num">− unused</th><th class="num">= closing</th><th /></tr></thead>
          <tbody><tr v-for="line in schedule" :key="line.month + line.provider + line.commitment" :class="{ 'font-semibold': line.month === month }"><td>{{ monthShortYear(line.month) }}</td><td>{{ line.provider }}</td><td :class="{ 'text-warn': !line.commitment }">{{ line.commitment || 'differs without a commitment' }}</td><td class="num">{{ plain(line.opening) }}</td><td class="num">{{ plain(line.purchased) }}</td><td class="num">{{ plain(line.used) }}</td><td class="num" :class="{ 'text-warn': !isZero(line.unused) }">{{ plain(line.unused) }}</td><td class="num">{{ plain(line.closing) }}</td><td class="note pl-3!">{{ line.currency }}</td></tr></tbody></table>
      </template>
    </template>
  </div>
</template>
