<script setup lang="ts">
import { computed, ref } from 'vue'
import type { CleanAct, CleanStep } from '../../../core/types.ts'
import type { CleanView, CoverageRow } from '../../../server/features/rulebook/cleaning.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import TagCoverage from '../../components/TagCoverage.vue'
import { useDraftAnswer } from '../../composables/useDraftAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, count, monthName } from '../../format.ts'
import { newId, useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'
import { keepGrip, moved } from './reorder.ts'
import StepEditor from './StepEditor.vue'
import { actText, monthsText } from './words.ts'

const draft = useDraft()
const session = useSession()
const { currency, month } = usePlace()
const steps = computed(() => draft.rulebook?.cleanUp ?? [])
const { data: view, error, again } = useDraftAnswer<CleanView>('/api/rulebook/clean')
const { data: coverage } = useDraftAnswer<{ rows: CoverageRow[] }>('/api/rulebook/coverage')
const effectOf = (id: string): CleanView['steps'][number] | undefined => view.value?.steps.find((effect) => effect.id === id)
const flawOf = (id: string): string => draft.problems.find(({ subject }) => subject === id)?.message ?? ''
const opened = ref<string | null>(null)
const FEW = 20
const isAll = ref(false)
const edited = ref<CleanStep | null>(null)
const keys = computed(() => (view.value?.keys ?? []).map(({ key }) => key))

const stepOf = (act: CleanAct): CleanStep => ({ id: newId(), enabled: true, from: null, to: null, act })
/** Keys are made one before values are looked at, and tags are cleaned before missing ones are filled. */
const RANK: Record<CleanAct['kind'], number> = { placeholders: 0, key: 1, values: 2, set: 3, inherit: 4, lookup: 5 }
function accept(act: CleanAct): void {
  // a second click comes before the proposals are looked for again
  if (steps.value.some((step) => JSON.stringify(step.act) === JSON.stringify(act))) return
  const at = steps.value.findIndex((step) => RANK[step.act.kind] > RANK[act.kind])
  const step = stepOf(act)
  draft.changeCleanUp(at < 0 ? [...steps.value, step] : [...steps.value.slice(0, at), step, ...steps.value.slice(at)], `“${actText(act)}” is in the draft.`)
}
function keep(step: CleanStep): void {
  const isNew = !steps.value.some(({ id }) => id === step.id)
  draft.changeCleanUp(isNew ? [...steps.value, step] : steps.value.map((old) => (old.id === step.id ? step : old)), isNew ? 'The step is added at the end.' : '')
  edited.value = null
}
const flip = (step: CleanStep): void => draft.changeCleanUp(steps.value.map((old) => (old.id === step.id ? { ...old, enabled: !old.enabled } : old)))
const remove = (step: CleanStep): void => draft.changeCleanUp(steps.value.filter(({ id }) => id !== step.id), 'The step is deleted.')
function move(index: number, by: number): void {
  const next = moved(steps.value, index, index + by)
  if (next) draft.changeCleanUp(next)
  void keepGrip(`[data-step-index="${index + by}"]`)
}
const countKey = (key: string): void => draft.change({ ...draft.rulebook!, tagKeys: draft.rulebook!.tagKeys.includes(key) ? draft.rulebook!.tagKeys.filter((other) => other !== key) : [...draft.rulebook!.tagKeys, key] })
const share = (part: string, whole: string): string => (Number(whole) === 0 ? '' : `${((Number(part) / Number(whole)) * 100).toFixed(1)} %`)
</script>

<template>
  <div class="px-7 pb-8">
    <ErrorNote v-if="error" :error="error" @again="again" />
    <div class="flex items-baseline justify-between pb-1"><p class="note">Steps are taken in their order on the tags of {{ monthName(month) }}. Tags as billed stay beside the cleaned ones; rules see the cleaned ones.</p><span v-if="session.isKeeper" class="flex gap-5"><button class="link" @click="edited = stepOf({ kind: 'set', key: keys[0] ?? '', value: '', resources: [] })">Edit tags of resources</button><button class="link" @click="edited = stepOf({ kind: 'values', key: keys[0] ?? '', mapping: {}, folded: false })">Add a step</button></span></div>
    <table v-if="steps.length" class="book">
      <thead><tr><th class="w-8" /><th class="w-8" /><th>step</th><th class="num">charges</th><th class="num">money touched, {{ currency }}</th><th class="w-56" /></tr></thead>
      <tbody v-for="(step, index) in steps" :key="step.id">
        <tr :class="{ 'opacity-55': !step.enabled }" :data-step-index="index" data-step>
          <td><button v-if="session.isKeeper" class="grip px-1 text-soft" :aria-label="`Move step ${index + 1}; arrow keys move it`" @keydown.up.prevent="move(index, -1)" @keydown.down.prevent="move(index, 1)">⠿</button></td>
          <td class="note">{{ index + 1 }}</td>
          <td class="py-1!"><button class="text-left font-semibold hover:underline" @click="edited = step">{{ actText(step.act) }}</button><span v-if="!step.enabled" class="note"> off</span><span class="note"> {{ monthsText(step) }}</span><span v-if="flawOf(step.id)" class="block text-[12.5px] text-warn">{{ flawOf(step.id) }}</span></td>
          <td class="num">{{ effectOf(step.id) ? count(effectOf(step.id)!.money.lines) : '' }}</td>
          <td class="num font-semibold" data-step-money>{{ effectOf(step.id) ? amount(effectOf(step.id)!.money.amount) : step.enabled ? '…' : '' }}</td>
          <td class="text-right whitespace-nowrap"><span class="inline-flex gap-3 text-[13px]"><button class="note hover:text-ink" :aria-expanded="opened === step.id" @click="opened = opened === step.id ? null : step.id">Before and after</button><template v-if="session.isKeeper"><button class="note hover:text-ink" @click="flip(step)">{{ step.enabled ? 'Off' : 'On' }}</button><button class="note hover:text-warn" :aria-label="`Delete step ${index + 1}`" @click="remove(step)">Delete</button></template></span></td>
        </tr>
        <template v-if="opened === step.id">
          <tr v-for="(change, at) in effectOf(step.id)?.changes ?? []" :key="at" class="bg-wash/40" data-step-change><td /><td /><td class="pl-4!"><span class="note">{{ change.key }}</span> {{ change.before ?? 'missing' }} <span class="note">→</span> {{ change.after ?? 'missing' }}</td><td class="num">{{ count(change.money.lines) }}</td><td class="num">{{ amount(change.money.amount) }}</td><td /></tr>
          <tr v-if="!effectOf(step.id)?.changes.length"><td /><td /><td class="note pl-4!">It changes nothing in {{ monthName(month) }}.</td><td /><td /><td /></tr>
          <tr v-if="effectOf(step.id)?.moreChanges"><td /><td /><td class="note pl-4!">and {{ effectOf(step.id)!.moreChanges }} smaller ones</td><td /><td /><td /></tr>
        </template>
      </tbody>
    </table>
    <p v-else-if="view">No step yet: tags count as they are billed.</p>

    <section v-if="view?.proposals.length" class="mt-6" aria-label="Proposals">
      <h2>What the tags of {{ monthName(month) }} seem to mean</h2>
      <table class="book"><thead><tr><th>proposal</th><th>why</th><th class="num">charges</th><th class="num">{{ currency }}</th><th class="w-24" /></tr></thead>
        <tbody><tr v-for="(proposal, index) in view.proposals.slice(0, isAll ? undefined : FEW)" :key="index" data-proposal><td class="py-1! font-semibold">{{ actText(proposal.act) }}</td><td class="note">{{ proposal.reason }}</td><td class="num">{{ count(proposal.money.lines) }}</td><td class="num font-semibold">{{ amount(proposal.money.amount) }}</td><td class="text-right"><button v-if="session.isKeeper" class="link" @click="accept(proposal.act)">Accept</button></td></tr></tbody></table>
      <p v-if="view.proposals.length > FEW && !isAll" class="pt-1"><button class="link" @click="isAll = true">Show {{ view.proposals.length - FEW }} more</button></p>
    </section>

    <div v-if="coverage" class="mt-6"><h2>Coverage over time</h2><TagCoverage v-if="coverage.rows.length" :rows="coverage.rows" /><p v-else class="note">Mark the tag keys that count, and their coverage is shown here.</p></div>
    <section v-if="view" class="mt-6 max-w-3xl" aria-label="Tag keys"><h2>Tag keys</h2>
        <div class="max-h-80 overflow-auto" tabindex="0" role="region" aria-label="All tag keys"><table class="book"><thead><tr><th>key</th><th class="num">values</th><th class="num">as billed</th><th class="num">cleaned</th><th class="num">counts</th></tr></thead>
          <tbody><tr v-for="key in view.keys" :key="key.key" :data-tag-key="key.key"><td>{{ key.key }}</td><td class="num">{{ count(key.values) }}</td><td class="num">{{ share(key.billed.amount, view.total.amount) }}</td><td class="num font-semibold">{{ share(key.cleaned.amount, view.total.amount) }}</td><td class="num"><input type="checkbox" :checked="key.counts" :disabled="!session.isKeeper" :aria-label="`${key.key} counts`" @change="countKey(key.key)" /></td></tr></tbody></table></div>
        <p class="note pt-1">Keys that count are watched: where their coverage falls, Intake and the Desk say so.</p>
    </section>
    <StepEditor v-if="edited" :key="edited.id" :step="edited" :keys="keys" @keep="keep" @close="edited = null" />
  </div>
</template>
