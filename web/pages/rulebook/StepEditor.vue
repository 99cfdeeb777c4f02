<script setup lang="ts">
import { computed, ref, toRaw } from 'vue'
import { fieldLabel } from '../../../core/charges/attributes.ts'
import { stepFlaw } from '../../../core/classify/checkRulebook.ts'
import type { CleanAct, CleanStep } from '../../../core/types.ts'
import PlainDialog from '../../components/PlainDialog.vue'
import MappingField from './MappingField.vue'
import MonthSpan from './MonthSpan.vue'
import ResourceFinder from './ResourceFinder.vue'

const props = defineProps<{ step: CleanStep; keys: string[] }>()
const emit = defineEmits<{ keep: [step: CleanStep]; close: [] }>()
const step = ref<CleanStep>(structuredClone(toRaw(props.step)))
const KINDS: Record<CleanAct['kind'], string> = { key: 'spellings of a key are one key', values: 'values are replaced', placeholders: 'placeholders count as missing', inherit: 'a missing tag is taken from its surroundings', lookup: 'a missing tag is looked up', set: 'tags of chosen resources are set' }
const FROM = ['ResourceId', 'SubAccountId', 'ResourceName', 'RegionId', 'ServiceName', 'tag:namespace', 'tag:cluster']
const fields = computed(() => [...new Set([...FROM, ...props.keys.map((key) => `tag:${key}`)])])
const act = computed({ get: () => step.value.act, set: (next) => { step.value.act = next } })
function choose(kind: CleanAct['kind']): void {
  const key = 'key' in act.value ? act.value.key : (props.keys[0] ?? '')
  const blank: Record<CleanAct['kind'], CleanAct> = {
    key: { kind: 'key', key, spellings: [] }, values: { kind: 'values', key, mapping: {}, folded: false }, placeholders: { kind: 'placeholders', keys: [], values: ['n/a', 'none', 'unknown'] },
    inherit: { kind: 'inherit', key, from: 'ResourceId', monthsBack: 0 }, lookup: { kind: 'lookup', key, from: 'SubAccountId', mapping: {} }, set: { kind: 'set', key, value: '', resources: [] },
  }
  act.value = blank[kind]
}
const listOf = (text: string): string[] => [...new Set(text.split('\n').map((line) => line.trim()))].filter((line, index, all) => line !== '' || index < all.length - 1)
const flaw = computed(() => stepFlaw(act.value) ?? (step.value.from && step.value.to && step.value.from > step.value.to ? 'it ends before it begins.' : ''))
</script>

<template>
  <PlainDialog :open="true" title="A step of the tag clean-up" wide @close="emit('close')">
    <form class="flex flex-col gap-4" @submit.prevent="!flaw && emit('keep', step)">
      <div class="flex gap-6">
        <label class="flex-1">What it does<select class="field mt-1 block w-full" data-step-field="kind" :value="act.kind" @change="choose(($event.target as HTMLSelectElement).value as CleanAct['kind'])"><option v-for="(label, kind) in KINDS" :key="kind" :value="kind">{{ label }}</option></select></label>
        <label v-if="act.kind !== 'placeholders'" class="w-56">Tag key<input v-model.trim="act.key" class="field mt-1 block w-full" list="tag-keys" maxlength="200" data-step-field="key" /></label>
        <datalist id="tag-keys"><option v-for="key in keys" :key="key" :value="key" /></datalist>
      </div>
      <label v-if="act.kind === 'key'">Other spellings, one a line<textarea class="field mt-1 block w-full" rows="4" data-step-field="spellings" :value="act.spellings.join('\n')" @input="act.spellings = listOf(($event.target as HTMLTextAreaElement).value).filter(Boolean)" /></label>
      <template v-if="act.kind === 'values'"><MappingField v-model="act.mapping" :field="`tag:${act.key}`" target="becomes" /><label class="flex items-center gap-2"><input v-model="act.folded" type="checkbox" /> letter case and separators do not matter in what is replaced</label></template>
      <template v-if="act.kind === 'placeholders'">
        <label>Placeholders, one a line, whatever their case<textarea class="field mt-1 block w-full" rows="4" :value="act.values.join('\n')" @input="act.values = listOf(($event.target as HTMLTextAreaElement).value)" /></label>
        <label>Only in these keys, one a line; none: in every key<textarea class="field mt-1 block w-full" rows="2" :value="act.keys.join('\n')" @input="act.keys = listOf(($event.target as HTMLTextAreaElement).value).filter(Boolean)" /></label>
      </template>
      <div v-if="act.kind === 'inherit'" class="flex gap-6">
        <label class="flex-1">From other charges of the same<select v-model="act.from" class="field mt-1 block w-full" data-step-field="from"><option v-for="field in fields" :key="field" :value="field">{{ fieldLabel(field) }}</option></select></label>
        <label class="w-64">Looking back<select v-model.number="act.monthsBack" class="field mt-1 block w-full" data-step-field="back"><option v-for="back in [0, 1, 2, 3, 6]" :key="back" :value="back">{{ back === 0 ? 'within the month' : `up to ${back} month${back > 1 ? 's' : ''}` }}</option></select></label>
      </div>
      <p v-if="act.kind === 'inherit'" class="note">Only where all of them agree on one value; where they do not, the tag stays missing.</p>
      <template v-if="act.kind === 'lookup'"><label class="w-72">By<select v-model="act.from" class="field mt-1 block w-full"><option v-for="field in fields" :key="field" :value="field">{{ fieldLabel(field) }}</option></select></label><MappingField v-model="act.mapping" :field="act.from" :target="`the tag ${act.key} becomes`" /></template>
      <template v-if="act.kind === 'set'"><label class="w-72">Value; empty removes the tag<input v-model.trim="act.value" class="field mt-1 block w-full" maxlength="2000" data-step-field="value" /></label><ResourceFinder v-model="act.resources" /></template>
      <div class="flex items-end gap-6"><MonthSpan v-model:from="step.from" v-model:to="step.to" /><span class="note flex-1 text-right">{{ flaw ? `It cannot be kept: ${flaw}` : 'The cloud is not touched; the tags as billed stay beside the cleaned ones.' }}</span></div>
      <div class="flex justify-end gap-5"><button type="button" class="link" @click="emit('close')">Leave it</button><button class="act" :disabled="flaw !== ''">Keep the step</button></div>
    </form>
  </PlainDialog>
</template>
