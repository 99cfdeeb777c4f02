<script setup lang="ts">
import { computed } from 'vue'
import { CLUSTER_LEVELS, type ClusterLevel, type ClusterStep } from '../../../core/kubernetes/clusterView.ts'
import { writeRef } from '../../../core/workings/workings.ts'
import type { ClusterLine, ClusterView } from '../../../server/features/kubernetes/view.ts'
import { send } from '../../api/client.ts'
import BeadRod from '../../components/BeadRod.vue'
import DayLine from '../../components/DayLine.vue'
import ErrorNote from '../../components/ErrorNote.vue'
import FigureButton from '../../components/FigureButton.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, count, isZero, monthName } from '../../format.ts'
import { useSession } from '../../stores/session.ts'

const session = useSession()
const { route, month, basis, go, linkTo } = usePlace()
/** level and value in turn, as in a figure's address */
const path = computed<ClusterStep[]>(() => String(route.query.at ?? '').split('~').filter((_, index, all) => all.length > 1 && index % 2 === 0).map((level, index) => ({ level: level as ClusterLevel, value: decodeURIComponent(String(route.query.at).split('~')[index * 2 + 1] ?? '') })))
const by = computed<ClusterLevel>(() => (typeof route.query.by === 'string' ? (route.query.by as ClusterLevel) : nextLevel(path.value)))
function nextLevel(steps: readonly ClusterStep[]): ClusterLevel {
  const deepest = Math.max(-1, ...steps.map(({ level }) => CLUSTER_LEVELS.indexOf(level as (typeof CLUSTER_LEVELS)[number])))
  // namespaces say more than nodes, and nodes are one choice away
  return deepest === 0 ? 'namespace' : (CLUSTER_LEVELS[deepest + 1] ?? 'pod')
}
const { data: view, error, isLoading, again } = useAnswer(() => ({ month: month.value, basis: basis.value, path: path.value, by: by.value, changes: session.changes }),
  ({ month: asked, basis: of, path: along, by: level }, signal) => send<ClusterView>('POST', '/api/clusters', { month: asked, basis: of, path: along, by: level }, signal))

const write = (steps: readonly ClusterStep[]): string | undefined => (steps.length === 0 ? undefined : steps.map(({ level, value }) => `${level}~${encodeURIComponent(value).replaceAll('~', '%7E')}`).join('~'))
const openRow = (value: string): void => go({ at: write([...path.value, { level: by.value, value }]), by: undefined, figure: undefined })
const backTo = (length: number): void => go({ at: write(path.value.slice(0, length)), by: undefined, figure: undefined })
const choices = computed<{ level: ClusterLevel; label: string }[]>(() => [...CLUSTER_LEVELS.filter((level) => !path.value.some((step) => step.level === level)).map((level) => ({ level, label: level })), ...(view.value?.labels ?? []).map((label) => ({ level: `label:${label}` as const, label: `label ${label}` }))])
const figureOf = (value: string): string => writeRef({ kind: 'cluster', month: month.value, basis: basis.value, parts: [...path.value, { level: by.value, value }].flatMap((step) => [step.level, step.value]) })
const isDeepest = computed(() => by.value === 'pod' || by.value.startsWith('label:'))
const nameless = computed(() => ({ cluster: '', node: 'serving, and overhead of no node', namespace: 'idle, and what has no namespace', workload: 'idle, and what has no workload', pod: 'no pod' } as Record<string, string>)[by.value] ?? 'no such label')
const hours = (value: number): string => count(Math.round(value))
const sum = (of: (row: ClusterLine) => string): string => ((view.value?.rows ?? []).reduce((total, row) => total + Math.round(Number(of(row)) * 100), 0) / 100).toFixed(2)
const showsUnmetered = computed(() => view.value?.rows.some(({ uses }) => !isZero(uses.unmetered)) ?? false)
</script>

<template>
  <div class="px-7 pb-8">
    <ErrorNote v-if="error" :error="error" @again="again" />
    <p v-else-if="!view && isLoading" class="note">Dividing the nodes…</p>
    <template v-else-if="view">
      <p v-if="view.rows.length === 0 && path.length === 0">Nothing is metered in {{ monthName(month) }}, so nodes of clusters go by the rules like any machine. <RouterLink class="link" :to="linkTo('/intake')">Load a metering file in Intake ›</RouterLink></p>
      <template v-else>
        <p class="flex flex-wrap items-baseline gap-x-2 pb-2" data-cluster-path><button class="link" @click="backTo(0)">All clusters</button><template v-for="(step, index) in path" :key="index"><span class="text-soft">›</span><button class="link" @click="backTo(index + 1)">{{ step.value || 'none' }}</button></template>
          <label class="ml-auto">by <select class="field" data-cluster-by :value="by" @change="go({ by: ($event.target as HTMLSelectElement).value, figure: undefined })"><option v-for="one in choices" :key="one.level" :value="one.level">{{ one.label }}</option></select></label></p>
        <div class="overflow-x-auto" tabindex="0" role="region" aria-label="Cost of clusters"><table class="book" data-clusters>
          <thead><tr><th>{{ by.replace('label:', 'label ') }}</th><th class="num">cost, {{ view.currency }}</th><th class="num">workloads</th><th class="num">what serves them</th><th class="num">overhead</th><th class="num">idle</th><th v-if="showsUnmetered" class="num">not metered</th><th class="num" title="core hours asked for and used">cores asked</th><th class="num">used</th><th class="num" title="gibibyte hours asked for and used">GiB asked</th><th class="num">used</th><th class="pl-4!">used of held</th><th>by day</th></tr></thead>
          <tbody><tr v-for="row in view.rows" :key="row.value" :data-cluster-row="row.value">
            <td class="whitespace-nowrap"><button v-if="row.value && !isDeepest" class="font-semibold hover:underline" @click="openRow(row.value)">{{ row.value }}</button><span v-else :class="{ 'text-soft': !row.value }">{{ row.value || nameless }}</span></td>
            <td class="num font-semibold"><FigureButton :value="row.cost" :figure="figureOf(row.value)" /></td>
            <td v-for="use in (['workload', 'serving', 'overhead', 'idle'] as const)" :key="use" class="num" :class="{ 'text-soft': isZero(row.uses[use]) }">{{ amount(row.uses[use]) }}</td>
            <td v-if="showsUnmetered" class="num" :class="{ 'text-warn': !isZero(row.uses.unmetered) }">{{ amount(row.uses.unmetered) }}</td>
            <td class="num">{{ hours(row.cpu.request) }}</td><td class="num">{{ hours(row.cpu.use) }}</td><td class="num">{{ hours(row.memory.request) }}</td><td class="num">{{ hours(row.memory.use) }}</td>
            <td class="pl-4! whitespace-nowrap"><BeadRod :share="row.efficiency" :label="`${row.value}: used of what is held`" /></td>
            <td><DayLine :days="row.days" :label="`${row.value}: cost by day`" /></td>
          </tr></tbody>
          <tfoot><tr class="total"><td>In all</td><td class="num">{{ amount(view.total) }}</td><td v-for="use in (['workload', 'serving', 'overhead', 'idle'] as const)" :key="use" class="num">{{ amount(sum((row) => row.uses[use])) }}</td><td v-if="showsUnmetered" class="num">{{ amount(sum((row) => row.uses.unmetered)) }}</td><td colspan="6" /></tr></tfoot>
        </table></div>
        <p class="note mt-2">Hours of cores and gibibytes. Held is the larger of request and use in each hour; what nobody holds is idle. The charges of the nodes are consumed by this: they stand nowhere else.</p>
      </template>
      <template v-if="path.length === 0">
        <section v-if="view.withoutMetering.length" class="mt-6"><h2>Nodes that were not metered</h2>
          <p class="note">Their charges are not divided; they go by the rules.</p>
          <table class="book" data-without-metering><thead><tr><th>cluster</th><th>node</th><th>resource</th><th>what is missing</th><th class="num">cost, {{ view.currency }}</th></tr></thead>
            <tbody><tr v-for="one in view.withoutMetering" :key="one.resourceId"><td>{{ one.cluster }}</td><td>{{ one.node }}</td><td class="note">{{ one.resourceId }}</td><td>{{ one.reason }}</td><td class="num font-semibold text-warn">{{ amount(one.amount) }}</td></tr></tbody></table></section>
        <section v-if="view.withoutBill.length" class="mt-6"><h2>Metered, and no bill for it</h2>
          <p class="note">Nothing is charged for what runs there until a charge with this resource arrives.</p>
          <table class="book" data-without-bill><thead><tr><th>cluster</th><th>node</th><th>resource</th><th class="num">node hours</th></tr></thead>
            <tbody><tr v-for="one in view.withoutBill" :key="one.resourceId"><td>{{ one.cluster }}</td><td>{{ one.node }}</td><td class="note">{{ one.resourceId }}</td><td class="num">{{ hours(one.hours) }}</td></tr></tbody></table></section>
      </template>
    </template>
  </div>
</template>
