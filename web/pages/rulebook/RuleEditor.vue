<script setup lang="ts">
import { computed, ref, toRaw } from 'vue'
import { classField, KEY_COLUMNS } from '../../../core/charges/attributes.ts'
import { centreFlaw, conditionFlaw, valueFlaw } from '../../../core/classify/checkRulebook.ts'
import type { CostCentre, Rule } from '../../../core/types.ts'
import type { RuleFigures } from '../../../server/features/rulebook/figures.ts'
import { get, send } from '../../api/client.ts'
import PlainDialog from '../../components/PlainDialog.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, count, monthName } from '../../format.ts'
import { useDraft } from '../../stores/draft.ts'
import ConditionRow from './ConditionRow.vue'
import OutcomeField from './OutcomeField.vue'

const props = defineProps<{ rule: Rule; centres: CostCentre[]; readonly: boolean; classification: string }>()
const emit = defineEmits<{ keep: [rule: Rule]; close: [] }>()
const draft = useDraft()
const { month } = usePlace()
const rule = ref<Rule>(structuredClone(toRaw(props.rule)))
/** Classifications that this one may ask for: those before it. */
const before = computed(() => {
  const all = draft.rulebook?.classifications ?? []
  const at = all.findIndex(({ code }) => code === props.classification)
  return (at < 0 ? all : all.slice(0, at)).map(({ code }) => classField(code))
})
const { data: fields } = useAnswer(() => month.value, (asked, signal) => get<{ fields: { field: string; keys: number }[] }>('/api/rulebook/fields', { month: asked }, signal))
const choices = computed(() => {
  const seen = (fields.value?.fields ?? []).map(({ field }) => field).filter((field) => !field.startsWith('class:'))
  return [...new Set([...seen.filter((field) => !field.startsWith('tag:')), ...(seen.length ? [] : KEY_COLUMNS), ...seen.filter((field) => field.startsWith('tag:')), ...before.value, ...rule.value.conditions.map(({ field }) => field)])]
})
const outcomeFlaw = computed(() => {
  const { outcome } = rule.value
  const flaw = props.classification === '' ? centreFlaw(outcome, new Set(props.centres.map(({ code }) => code)), new Set(draft.rulebook?.pools.map(({ code }) => code))) : valueFlaw(outcome)
  return 'code' in outcome && !outcome.code ? 'Choose where the charges go.' : flaw && `The rule ${flaw}`
})
const flaws = computed(() => [
  ...(rule.value.name.trim() ? [] : ['Give the rule a name.']),
  ...(rule.value.conditions.length || rule.value.outcome.kind === 'mapped' ? [] : ['Add a condition.']),
  ...rule.value.conditions.flatMap((condition) => conditionFlaw(condition) ?? []).map((flaw) => flaw.charAt(0).toUpperCase() + flaw.slice(1)),
  ...(outcomeFlaw.value ? [outcomeFlaw.value] : []),
  ...(rule.value.from && rule.value.to && rule.value.from > rule.value.to ? ['The rule ends before it begins.'] : []),
])
/** What the rule as it stands here would take, in its place and first. */
const preview = computed(() => {
  const old = draft.rulesOf(props.classification)
  const at = old.findIndex(({ id }) => id === rule.value.id)
  const rules = (at < 0 ? [...old, rule.value] : old.map((each, index) => (index === at ? rule.value : each))).map((each) => ({ ...each, name: each.name || 'new' }))
  const rulebook = draft.rulebook!
  return { at: at < 0 ? rules.length - 1 : at, rulebook: props.classification === '' ? { ...rulebook, rules } : { ...rulebook, classifications: rulebook.classifications.map((one) => (one.code === props.classification ? { ...one, rules } : one)) } }
})
const { data: figures } = useAnswer(() => ({ month: month.value, classification: props.classification, ...preview.value }), async ({ at, ...question }, signal) => {
  await new Promise((done) => setTimeout(done, 80))
  if (signal.aborted) return null
  return (await send<RuleFigures>('POST', '/api/rulebook/figures', question, signal)).rules[at] ?? null
})
</script>

<template>
  <PlainDialog :open="true" :title="draft.rulesOf(classification).some(({ id }) => id === rule.id) ? `Rule: ${rule.name}` : 'A new rule'" wide @close="emit('close')">
    <form @submit.prevent="flaws.length === 0 && emit('keep', { ...rule, name: rule.name.trim() })">
      <fieldset :disabled="readonly" class="flex flex-col gap-4">
        <label class="block">Name<input v-model="rule.name" class="field mt-1 w-full" maxlength="200" data-rule-field="name" /></label>
        <div>
          <p class="pb-1">A charge is taken when all of these hold{{ rule.outcome.kind === 'mapped' ? ', and its value is mapped' : '' }}</p>
          <ConditionRow v-for="(condition, index) in rule.conditions" :key="index" :condition="condition" :choices="choices" :month="month" @change="(next) => (rule.conditions[index] = next)" @remove="rule.conditions.splice(index, 1)" />
          <button type="button" class="link mt-1" @click="rule.conditions.push({ field: choices[0] ?? 'ServiceName', operator: 'is', values: [] })">Add a condition</button>
        </div>
        <OutcomeField v-model="rule.outcome" :is-cost-centre="classification === ''" :centres="centres" :pools="draft.rulebook?.pools ?? []" :choices="choices" />
        <div class="flex gap-6">
          <label>from month<input :value="rule.from ?? ''" class="field mt-1 block w-28" placeholder="always" pattern="\d{4}-(0[1-9]|1[0-2])" @input="rule.from = ($event.target as HTMLInputElement).value || null" /></label>
          <label>to month<input :value="rule.to ?? ''" class="field mt-1 block w-28" placeholder="for ever" pattern="\d{4}-(0[1-9]|1[0-2])" @input="rule.to = ($event.target as HTMLInputElement).value || null" /></label>
        </div>
      </fieldset>
      <p class="mt-4 border-t border-rule pt-3" data-rule-preview><template v-if="figures">In {{ monthName(month) }} it takes <b>{{ amount(figures.takes.amount) }}</b> in {{ count(figures.takes.lines) }} charges; standing first it would take {{ amount(figures.wouldTake?.amount ?? null) }}.</template><span v-else class="note">working out what it takes…</span></p>
      <ul v-if="flaws.length && !readonly" class="note mt-2"><li v-for="flaw in flaws" :key="flaw">{{ flaw }}</li></ul>
      <div class="mt-4 flex justify-end gap-5"><button type="button" class="link" @click="emit('close')">{{ readonly ? 'Shut' : 'Leave it' }}</button><button v-if="!readonly" class="act" :disabled="flaws.length > 0">Keep the rule</button></div>
    </form>
  </PlainDialog>
</template>
