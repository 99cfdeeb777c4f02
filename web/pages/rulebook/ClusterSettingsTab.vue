<script setup lang="ts">
import { computed } from 'vue'
import { settingOf } from '../../../core/kubernetes/expandClusters.ts'
import { CLUSTER_FIELDS, KEY_COLUMNS } from '../../../core/charges/attributes.ts'
import type { ClusterSetting, ClusterWay, Condition, CostCentre } from '../../../core/types.ts'
import type { ClusterView } from '../../../server/features/kubernetes/view.ts'
import type { Effect } from '../../../server/features/rulebook/effect.ts'
import { get, send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { useDraftAnswer } from '../../composables/useDraftAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, isZero, monthName } from '../../format.ts'
import { useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'
import ConditionRow from './ConditionRow.vue'
import TargetField from './TargetField.vue'
import { centreName } from './words.ts'

const draft = useDraft()
const session = useSession()
const { route, month, basis, go } = usePlace()
const { data: organisation } = useAnswer(() => 'organisation', (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
const centres = computed(() => organisation.value?.centres ?? [])
const { data: view, error, again } = useDraftAnswer<ClusterView>('/api/clusters', () => ({ basis: basis.value, path: [], by: 'cluster' }))
const { data: change, isLoading: isWeighing } = useAnswer(() => (draft.rulebook ? { months: [month.value], rulebook: draft.rulebook } : null), (question, signal) => send<{ effects: Effect[]; closed: string[] }>('POST', '/api/rulebook/effect', question, signal))
const { data: fields } = useAnswer(() => month.value, (asked, signal) => get<{ fields: { field: string }[] }>('/api/rulebook/fields', { month: asked }, signal))

const clusters = computed(() => draft.rulebook?.clusters ?? [])
const names = computed(() => [...new Set([...(view.value?.rows.map(({ value }) => value) ?? []), ...clusters.value.map(({ cluster }) => cluster)])].sort())
const chosen = computed(() => (names.value.includes(String(route.query.cluster)) ? String(route.query.cluster) : (names.value[0] ?? '')))
const setting = computed(() => settingOf(clusters.value, chosen.value))
const hasOwn = computed(() => clusters.value.some(({ cluster }) => cluster === chosen.value))
function keep(part: Partial<ClusterSetting>): void {
  const next = { ...setting.value, ...part }
  draft.change({ ...draft.rulebook!, clusters: hasOwn.value ? clusters.value.map((one) => (one.cluster === chosen.value ? next : one)) : [...clusters.value, next] })
}
const reset = (): void => draft.change({ ...draft.rulebook!, clusters: clusters.value.filter(({ cluster }) => cluster !== chosen.value) }, `${chosen.value} has the usual settings again.`)
const WEIGHTS = { cpu: 'a core', memory: 'a gibibyte of memory', gpu: 'a graphics unit' } as const
const isWeight = (text: string): boolean => /^\d+(\.\d{1,10})?$/.test(text)
const setWeight = (name: keyof typeof WEIGHTS, text: string): void => { if (isWeight(text)) keep({ weights: { ...setting.value.weights, [name]: text } }) }
const setNamespaces = (text: string): void => keep({ systemNamespaces: text.split(/[,\s]+/).filter(Boolean) })
const WAYS: Record<'idle' | 'overhead', { title: string; about: string; ways: Record<ClusterWay['kind'], string> }> = {
  idle: { title: 'Idle', about: 'What no pod holds of a node.', ways: { rules: 'stays for the rules', node: 'to those on the node, by what they hold of the resource in the hour', tenants: 'where the workloads of the cluster go, by their cost', pool: 'to a pool', costCentre: 'to a cost centre' } },
  overhead: { title: 'Overhead', about: 'System namespaces, and charges that run the cluster.', ways: { rules: 'stays for the rules', node: 'to the other workloads on the node, by their cost', tenants: 'where the workloads of the cluster go, by their cost', pool: 'to a pool', costCentre: 'to a cost centre' } },
}
function setWay(name: 'idle' | 'overhead', kind: ClusterWay['kind']): void {
  const way: ClusterWay = kind === 'pool' ? { kind, code: draft.rulebook!.pools[0]?.code ?? '' } : kind === 'costCentre' ? { kind, code: centres.value[0]?.code ?? '' } : { kind }
  keep({ [name]: way })
}
const targetsOf = (kind: 'pool' | 'costCentre'): { code: string; label: string }[] => (kind === 'pool' ? draft.rulebook!.pools.map(({ code, name }) => ({ code, label: `${code} ${name}` })) : centres.value.map(({ code, name }) => ({ code, label: `${code} ${name}` })))
const CONDITIONS = { nodeCharges: { title: 'Which charges are its nodes', about: 'Charges found here that nothing was metered of are told on the page of the clusters.' }, overheadCharges: { title: 'Which charges run the cluster', about: 'Control plane, licences: they count as overhead in months that are metered.' } } as const
const choices = computed(() => [...new Set([...KEY_COLUMNS, ...CLUSTER_FIELDS, ...(fields.value?.fields ?? []).map(({ field }) => field)])])
function setCondition(name: keyof typeof CONDITIONS, index: number, condition: Condition | null): void {
  const list = [...setting.value[name]]
  if (condition) list[index] = condition
  else list.splice(index, 1)
  keep({ [name]: list })
}
const own = computed(() => view.value?.rows.find(({ value }) => value === chosen.value))
const moved = computed(() => change.value?.effects[0]?.centres ?? [])
</script>

<template>
  <div class="grid grid-cols-[1fr_380px] gap-10 px-7 pb-8">
    <div>
      <ErrorNote v-if="error" :error="error" @again="again" />
      <p v-else-if="view && names.length === 0">No cluster is metered in {{ monthName(month) }}. Load a metering file in Intake; clusters that occur in it can then be set here.</p>
      <template v-else-if="view">
        <p class="flex flex-wrap gap-4 pb-2"><button v-for="name in names" :key="name" :aria-pressed="name === chosen" class="border-b" :class="name === chosen ? 'border-ochre font-semibold' : 'border-transparent text-soft hover:text-ink'" @click="go({ cluster: name })">{{ name }}</button></p>
        <fieldset :disabled="!session.isKeeper" class="flex flex-col gap-4">
          <section><h2>What weighs what</h2><p class="note">The price of a node divides over its resources in this proportion.</p>
            <p class="mt-1 flex flex-wrap gap-5"><label v-for="(label, name) in WEIGHTS" :key="name">{{ label }} <input class="field w-20 text-right" inputmode="decimal" :data-weight="name" :value="setting.weights[name]" @change="setWeight(name, ($event.target as HTMLInputElement).value.trim())" /></label></p></section>
          <section v-for="(of, name) in WAYS" :key="name"><h2>{{ of.title }}</h2><p class="note">{{ of.about }}</p>
            <p class="mt-1 flex flex-wrap gap-3"><select class="field max-w-full" :aria-label="`${of.title} goes`" :data-way="name" :value="setting[name].kind" @change="setWay(name, ($event.target as HTMLSelectElement).value as ClusterWay['kind'])"><option v-for="(label, kind) in of.ways" :key="kind" :value="kind">{{ label }}</option></select>
              <TargetField v-if="setting[name].kind === 'pool' || setting[name].kind === 'costCentre'" :model-value="(setting[name] as { code: string }).code" :targets="targetsOf(setting[name].kind as 'pool' | 'costCentre')" :label="`${of.title} target`" @update:model-value="(code) => keep({ [name]: { kind: setting[name].kind, code } as ClusterWay })" /></p></section>
          <section><h2>System namespaces</h2><p class="note">Their workloads are overhead.</p><input class="field mt-1 w-full" aria-label="System namespaces" :value="setting.systemNamespaces.join(', ')" @change="setNamespaces(($event.target as HTMLInputElement).value)" /></section>
          <section v-for="(of, name) in CONDITIONS" :key="name"><div class="flex items-baseline justify-between"><h2>{{ of.title }}</h2><button v-if="session.isKeeper" type="button" class="link" @click="setCondition(name, setting[name].length, { field: 'ServiceName', operator: 'is', values: [] })">Add a condition</button></div><p class="note mb-1">{{ of.about }}</p>
            <ConditionRow v-for="(condition, index) in setting[name]" :key="index" :condition="condition" :choices="choices" :month="month" @change="(next) => setCondition(name, index, next)" @remove="setCondition(name, index, null)" />
            <p v-if="setting[name].length === 0" class="note">None.</p></section>
          <p v-if="session.isKeeper && hasOwn"><button type="button" class="link danger" @click="reset">Back to the usual settings</button></p>
        </fieldset>
      </template>
    </div>
    <div v-if="view && chosen" class="self-start">
      <h2>{{ chosen }} in {{ monthName(month) }}, under the draft</h2>
      <table v-if="own" class="book" data-cluster-money><tbody>
        <tr><td>workloads</td><td class="num">{{ amount(own.uses.workload) }}</td></tr><tr><td>what serves them</td><td class="num">{{ amount(own.uses.serving) }}</td></tr>
        <tr><td>overhead</td><td class="num">{{ amount(own.uses.overhead) }}</td></tr><tr><td>idle</td><td class="num">{{ amount(own.uses.idle) }}</td></tr><tr v-if="!isZero(own.uses.unmetered)"><td>not metered</td><td class="num text-warn">{{ amount(own.uses.unmetered) }}</td></tr></tbody>
        <tfoot><tr class="total"><td>nodes and what serves them</td><td class="num">{{ amount(own.cost) }}</td></tr></tfoot></table>
      <p v-else class="note">Not metered in this month.</p>
      <h2 class="mt-6">Against what is published</h2>
      <p v-if="!change && isWeighing" class="note">Weighing…</p>
      <p v-else-if="change?.closed.length" class="note">{{ monthName(month) }} is closed: a draft moves nothing in it.</p>
      <p v-else-if="moved.length === 0" class="note">Nothing moves in {{ monthName(month) }}.</p>
      <table v-else class="book" data-cluster-effect><thead><tr><th>cost centre</th><th class="num">before</th><th class="num">after</th><th class="num">change</th></tr></thead>
        <tbody><tr v-for="centre in moved" :key="centre.code"><td>{{ centreName(centre.code, centres) }}</td><td class="num">{{ amount(centre.before) }}</td><td class="num">{{ amount(centre.after) }}</td><td class="num font-semibold">{{ amount(centre.change, { signed: true }) }}</td></tr></tbody></table>
    </div>
  </div>
</template>
