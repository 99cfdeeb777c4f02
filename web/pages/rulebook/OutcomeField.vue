<script setup lang="ts">
import { computed } from 'vue'
import { fieldLabel } from '../../../core/charges/attributes.ts'
import type { CostCentre, Outcome, Pool } from '../../../core/types.ts'
import MappingField from './MappingField.vue'
import PercentField from './PercentField.vue'
import { centreName } from './words.ts'

const outcome = defineModel<Outcome>({ required: true })
const props = defineProps<{ isCostCentre: boolean; centres: CostCentre[]; pools: Pool[]; choices: string[] }>()
const KINDS = computed((): Record<string, string> => (props.isCostCentre ? { one: 'one cost centre or pool', split: 'several, by fixed percentages', mapped: 'by the value of an attribute', aside: 'nobody, for a reason' } : { value: 'one value', split: 'several values, by fixed percentages', mapped: 'the value of an attribute', aside: 'no value, for a reason' }))
const kind = computed(() => (outcome.value.kind === 'costCentre' || outcome.value.kind === 'pool' ? 'one' : outcome.value.kind))
const targets = computed(() => (props.isCostCentre ? props.centres.map(({ code }) => ({ code, label: centreName(code, props.centres) })) : null))
function choose(next: string): void {
  const { value: old } = outcome
  const code = 'code' in old ? old.code : ''
  if (next === 'one') outcome.value = { kind: 'costCentre', code }
  else if (next === 'value') outcome.value = { kind: 'value', code }
  else if (next === 'split') outcome.value = { kind: 'split', percents: code && old.kind !== 'pool' ? { [code]: '100' } : {} }
  else if (next === 'aside') outcome.value = { kind: 'aside', reason: '' }
  else outcome.value = { kind: 'mapped', field: props.choices.find((field) => field.startsWith('tag:')) ?? props.choices[0] ?? 'SubAccountId', mapping: {}, elseItself: !props.isCostCentre }
}
const target = computed({
  get: () => (outcome.value.kind === 'costCentre' || outcome.value.kind === 'pool' ? `${outcome.value.kind}:${outcome.value.code}` : ''),
  set: (text: string) => { const [to, code = ''] = text.split(/:(.*)/s); outcome.value = { kind: to === 'pool' ? 'pool' : 'costCentre', code } },
})
</script>

<template>
  <fieldset class="flex flex-col gap-2">
    <div class="flex gap-6">
      <label class="w-64">{{ isCostCentre ? 'It goes to' : 'It gives' }}<select class="field mt-1 block w-full" data-rule-field="kind" :value="kind" @change="choose(($event.target as HTMLSelectElement).value)"><option v-for="(label, name) in KINDS" :key="name" :value="name">{{ label }}</option></select></label>
      <label v-if="kind === 'one'" class="flex-1">Which<select v-model="target" class="field mt-1 block w-full" data-rule-field="target">
        <option value="costCentre:">choose…</option>
        <optgroup label="Cost centres"><option v-for="centre in centres" :key="centre.code" :value="`costCentre:${centre.code}`">{{ centre.code }} {{ centre.name }}</option></optgroup>
        <optgroup label="Pools"><option v-for="pool in pools" :key="pool.code" :value="`pool:${pool.code}`">{{ pool.name }}</option></optgroup>
      </select></label>
      <label v-if="outcome.kind === 'value'" class="flex-1">Value<input v-model.trim="outcome.code" class="field mt-1 block w-full" maxlength="200" data-rule-field="value" /></label>
      <label v-if="outcome.kind === 'aside'" class="flex-1">Reason<input v-model="outcome.reason" class="field mt-1 block w-full" maxlength="200" placeholder="Why nobody is charged for it" data-rule-field="reason" /></label>
      <label v-if="outcome.kind === 'mapped'" class="flex-1">Attribute<select v-model="outcome.field" class="field mt-1 block w-full" data-rule-field="mapped"><option v-for="field in choices" :key="field" :value="field">{{ fieldLabel(field) }}</option></select></label>
    </div>
    <PercentField v-if="outcome.kind === 'split'" v-model="outcome.percents" :targets="targets" />
    <template v-if="outcome.kind === 'mapped'">
      <label v-if="!isCostCentre" class="flex items-center gap-2"><input v-model="outcome.elseItself" type="checkbox" /> a value that is not mapped stands for itself</label>
      <MappingField v-model="outcome.mapping" :field="outcome.field" :targets="targets" :target="isCostCentre ? 'goes to' : 'becomes'" />
    </template>
  </fieldset>
</template>
