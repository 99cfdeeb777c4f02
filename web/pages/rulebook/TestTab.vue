<script setup lang="ts">
import { computed, ref } from 'vue'
import { fieldLabel, TAG_FIELD } from '../../../core/charges/attributes.ts'
import type { Verdict } from '../../../core/classify/explain.ts'
import type { CostCentre, Rule } from '../../../core/types.ts'
import type { ChargeTest, FoundCharge } from '../../../server/features/rulebook/testCharge.ts'
import { get } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { useDraftAnswer } from '../../composables/useDraftAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { useDraft } from '../../stores/draft.ts'
import { evenRows } from '../../decimals.ts'
import { amount } from '../../format.ts'
import { conditionText, outcomeText } from './words.ts'

const draft = useDraft()
const { route, month, go } = usePlace()
const text = ref('')
const { data: found } = useAnswer(() => (text.value.trim() && !pasted.value ? { month: month.value, text: text.value.trim() } : null), (question, signal) => get<{ charges: FoundCharge[] }>('/api/rulebook/charges', question, signal))
const { data: organisation } = useAnswer(() => 'organisation', (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
/** A charge pasted as JSON: columns of the standard, its Tags as an object or as text. */
const pasted = computed((): Record<string, string> | null => {
  if (!text.value.trim().startsWith('{')) return null
  try {
    const { Tags, ...columns } = JSON.parse(text.value) as Record<string, unknown>
    const tags = typeof Tags === 'string' ? JSON.parse(Tags) as Record<string, unknown> : ((Tags ?? {}) as Record<string, unknown>)
    return Object.fromEntries([...Object.entries(columns), ...Object.entries(tags).map(([key, value]) => [TAG_FIELD + key, value] as const)].filter(([, value]) => value !== null && value !== '').map(([field, value]) => [field, String(value)]))
  } catch {
    return null
  }
})
const charge = computed(() => (pasted.value ? { attributes: pasted.value } : Number(route.query.charge) > 0 ? { key: Number(route.query.charge), part: Number(route.query.part) || 0 } : null))
const { data: test, error, again } = useDraftAnswer<ChargeTest>('/api/rulebook/test', () => charge.value && { charge: charge.value })
const tags = computed(() => {
  const { billed = {}, cleaned = {} } = test.value ?? {}
  return [...new Set([...Object.keys(billed), ...Object.keys(cleaned)])].filter((field) => field.startsWith(TAG_FIELD) || field.startsWith('class:') || billed[field] !== cleaned[field]).sort().map((field) => ({ field, billed: billed[field], cleaned: cleaned[field] }))
})
const parts = computed(() => evenRows(test.value?.parts ?? [], 'amount'))
const rulesOf = (code: string): Rule[] => draft.rulesOf(code)
function verdictText(verdict: Verdict, code: string): string {
  const isSettled = test.value?.setting != null
  switch (verdict.kind) {
    case 'takes': return 'takes it'
    case 'wouldTake': return isSettled && code === '' ? 'would take it, if the setting did not' : 'would take it, if no rule before it did'
    case 'fails': { const value = test.value?.cleaned[verdict.condition.field]; return `fails: ${conditionText(verdict.condition)}; it is ${value === undefined ? 'missing' : `“${value}”`}` }
    case 'unmapped': return `fails: the mapping does not name ${verdict.value === null ? 'a missing value' : `“${verdict.value}”`}`
    case 'off': return 'is off'
    default: return 'does not hold in this month'
  }
}
</script>

<template>
  <div class="px-7 pb-8">
    <label class="block">A charge<textarea v-model="text" rows="2" class="field mt-1 block w-full" placeholder="part of a resource, a tag, an account … or a charge pasted as JSON with the columns of the standard" data-charge-text /></label>
    <p v-if="text.trim().startsWith('{') && !pasted" class="note pt-1">This is not complete JSON yet.</p>
    <table v-else-if="found && text.trim() && !pasted" class="book mt-2"><thead><tr><th>resource</th><th>service</th><th>tags as billed</th></tr></thead>
      <tbody><tr v-for="one in found.charges" :key="one.key" class="cursor-pointer" @click="go({ charge: one.key, part: undefined }); text = ''"><td><button class="hover:underline" data-found-charge>{{ one.name }}</button></td><td class="note">{{ one.provider }}, {{ one.service }}</td><td class="note">{{ one.tags || 'none' }}</td></tr>
        <tr v-if="!found.charges.length"><td colspan="3" class="note">No charge of the month has that in it.</td></tr></tbody></table>
    <ErrorNote v-if="error" class="mt-3" :error="error" @again="again" />
    <div v-else-if="test && charge" class="mt-4 grid grid-cols-[minmax(300px,0.8fr)_minmax(0,1.4fr)] gap-8">
      <section aria-label="The charge"><h2>{{ test.billed.ResourceName ?? test.billed.ResourceId ?? 'The charge' }}</h2>
        <p class="note pb-2">{{ ['ProviderName', 'SubAccountId', 'ServiceName', 'ChargeCategory'].map((field) => test!.billed[field]).filter(Boolean).join(', ') }}</p>
        <div v-if="test.parts.length > 1" class="mb-4"><h3 class="note pb-1">Divided into {{ test.parts.length }} parts; choose the one to test</h3>
          <div class="max-h-72 overflow-auto" tabindex="0" role="region" aria-label="Parts of the charge"><table class="book"><thead><tr><th>part</th><th>taken by</th><th class="num">{{ test.currency }}</th></tr></thead>
            <tbody><tr v-for="(part, index) in parts" :key="index" data-charge-part :class="{ 'font-semibold': index === test.part }" :aria-current="index === test.part || undefined"><td><button class="text-left hover:underline" @click="go({ part: index || undefined })">{{ part.name }}</button></td><td class="note" :class="{ 'text-warn!': !part.taker }">{{ part.taker ?? 'nobody' }}</td><td class="num">{{ amount(part.amount) }}</td></tr></tbody></table></div></div>
        <p v-if="test.setting" class="mb-2 border-l-2 border-ochre pl-3" data-before-rules>The setting for {{ test.setting }} sends {{ test.parts.length > 1 ? 'this part' : 'it' }} before any rule is asked.</p>
        <table class="book"><thead><tr><th>attribute</th><th>as billed</th><th>as it counts</th></tr></thead><tbody><tr v-for="tag in tags" :key="tag.field" :data-tested-tag="tag.field"><td>{{ fieldLabel(tag.field) }}</td><td :class="{ note: true }">{{ tag.billed ?? 'missing' }}</td><td :class="{ 'font-semibold': tag.billed !== tag.cleaned }">{{ tag.cleaned ?? 'missing' }}</td></tr><tr v-if="!tags.length"><td colspan="3" class="note">It has no tags.</td></tr></tbody></table>
        <p v-if="'attributes' in charge" class="note pt-2">A pasted charge stands by itself: tags that would be taken from other charges are not known.</p>
      </section>
      <div><section v-for="one in [...test.classifications].reverse()" :key="one.code" class="mb-5" :aria-label="one.name"><h2>{{ one.name }}</h2>
        <table class="book"><tbody><tr v-for="(verdict, index) in one.verdicts" :key="index" :data-verdict="verdict.kind"><td class="w-8 note">{{ index + 1 }}</td><td :class="verdict.kind === 'takes' ? 'font-semibold' : verdict.kind === 'wouldTake' ? '' : 'note'">{{ rulesOf(one.code)[index]?.name }} <span v-if="verdict.kind === 'takes' && rulesOf(one.code)[index]">→ {{ outcomeText(rulesOf(one.code)[index]!.outcome, organisation?.centres ?? [], draft.rulebook?.pools ?? []) }}</span></td><td :class="verdict.kind === 'takes' ? 'font-semibold text-accent' : 'note'">{{ verdictText(verdict, one.code) }}</td></tr>
          <tr v-if="!one.verdicts.some(({ kind }) => kind === 'takes') && !(one.code === '' && test.setting)"><td /><td class="text-warn">No rule takes it: it stays unassigned.</td><td /></tr></tbody></table></section></div>
    </div>
    <p v-else class="note pt-3">Find a charge of the month, or paste one, to see its cleaned tags, the rule that takes it and why the others do not.</p>
  </div>
</template>
