<script setup lang="ts">
import { computed, ref } from 'vue'
import { fieldLabel } from '../../../core/charges/attributes.ts'
import type { CostCentre, Rule } from '../../../core/types.ts'
import type { UnassignedGroup } from '../../../server/features/rulebook/figures.ts'
import { get } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { useDraftAnswer } from '../../composables/useDraftAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, count, monthName } from '../../format.ts'
import { newId, useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'
import { addDecimals } from '../../decimals.ts'
import ClassChooser from './ClassChooser.vue'
import RuleEditor from './RuleEditor.vue'

const draft = useDraft()
const session = useSession()
const { currency, month, route, go } = usePlace()
const classification = computed({ get: () => (draft.rulebook?.classifications.some(({ code }) => code === route.query.class) ? String(route.query.class) : ''), set: (code) => go({ class: code || undefined }) })
const { data, error, again } = useDraftAnswer<{ groups: UnassignedGroup[] }>('/api/rulebook/unassigned', () => ({ classification: classification.value }))
const { data: organisation } = useAnswer(() => 'organisation', (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
const groups = computed(() => data.value?.groups ?? [])
const total = computed(() => addDecimals(groups.value.map((group) => group.amount)))
const made = ref<Rule | null>(null)
function make({ conditions }: UnassignedGroup): void {
  const name = conditions.map(({ values }) => values[0]).filter(Boolean).slice(1).join(', ')
  made.value = { id: newId(), name: name || 'New rule', enabled: true, conditions: structuredClone(conditions), outcome: { kind: classification.value === '' ? 'costCentre' : 'value', code: '' }, from: null, to: null }
}
function keep(rule: Rule): void {
  draft.changeRules(classification.value, [...draft.rulesOf(classification.value), rule], `Rule “${rule.name}” is added at the end of the draft.`)
  made.value = null
}
</script>

<template>
  <div class="px-7 pb-8">
    <p class="pb-1"><ClassChooser v-model="classification" /></p>
    <ErrorNote v-if="error" :error="error" @again="again" />
    <p v-else-if="data && groups.length === 0">Every charge of {{ monthName(month) }} is taken by a rule of the draft.</p>
    <template v-else-if="data">
      <p class="note pb-1">What no rule of the draft takes in {{ monthName(month) }}, by what the charges have in common.</p>
      <table class="book">
        <thead><tr><th>what they have in common</th><th>resources</th><th class="num">charges</th><th class="num">{{ currency }}</th><th class="w-32" /></tr></thead>
        <tbody><tr v-for="(group, index) in groups" :key="index" data-unassigned-group>
          <td class="py-1!"><span v-for="condition in group.conditions" :key="condition.field" class="mr-3 inline-block"><span class="note">{{ fieldLabel(condition.field) }}</span> {{ condition.values[0] }}</span></td>
          <td class="note max-w-60 truncate">{{ group.resources.join(', ') }}{{ group.keys > group.resources.length ? '…' : '' }}</td>
          <td class="num">{{ count(group.lines) }}</td><td class="num font-semibold">{{ amount(group.amount) }}</td>
          <td class="text-right"><button v-if="session.isKeeper" class="link" @click="make(group)">Make a rule</button></td>
        </tr></tbody>
        <tfoot><tr class="total"><td>Unassigned</td><td /><td class="num">{{ count(groups.reduce((sum, { lines }) => sum + lines, 0)) }}</td><td class="num">{{ amount(total) }}</td><td /></tr></tfoot>
      </table>
    </template>
    <p v-else class="note">Looking for what nobody takes…</p>
    <RuleEditor v-if="made" :rule="made" :centres="organisation?.centres ?? []" :classification="classification" :readonly="false" @keep="keep" @close="made = null" />
  </div>
</template>
