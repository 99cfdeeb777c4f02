<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { addsUpToHundred } from '../../../core/money/percents.ts'
import type { CostCentre, Rule } from '../../../core/types.ts'
import PlainDialog from '../../components/PlainDialog.vue'
import { usePlace } from '../../composables/usePlace.ts'
import { newId, useDraft } from '../../stores/draft.ts'
import MonthSpan from './MonthSpan.vue'
import PercentField from './PercentField.vue'
import ResourceFinder from './ResourceFinder.vue'
import { centreName } from './words.ts'

const props = defineProps<{ open: boolean; centres: CostCentre[] }>()
const emit = defineEmits<{ close: [] }>()
const draft = useDraft()
const { month } = usePlace()
const resources = ref<string[]>([])
const percents = ref<Record<string, string>>({})
const name = ref('')
const from = ref<string | null>(null)
const to = ref<string | null>(null)
watch(() => props.open, (isOpen) => { if (isOpen) { resources.value = []; percents.value = {}; name.value = ''; from.value = month.value; to.value = null } })
const targets = computed(() => props.centres.map(({ code }) => ({ code, label: centreName(code, props.centres) })))
const flaws = computed(() => [
  ...(resources.value.length ? [] : ['Choose the resources that are shared.']),
  ...(addsUpToHundred(percents.value) ? [] : ['Give percentages that add up to 100.']),
  ...(from.value && to.value && from.value > to.value ? ['It ends before it begins.'] : []),
])
/** A rule before all others, so that the rest of the account stays as it is. */
function keep(): void {
  const rule: Rule = {
    id: newId(), name: name.value.trim() || `${resources.value.length === 1 ? resources.value[0] : `${resources.value.length} resources`}, shared`, enabled: true, from: from.value, to: to.value,
    conditions: [{ field: 'ResourceId', operator: 'is', values: resources.value }], outcome: { kind: 'split', percents: percents.value },
  }
  draft.changeRules('', [rule, ...draft.rulesOf('')], `“${rule.name}” stands first in the draft.`)
  emit('close')
}
</script>

<template>
  <PlainDialog :open="open" title="One resource, several payers" wide @close="emit('close')">
    <form class="flex flex-col gap-4" @submit.prevent="flaws.length === 0 && keep()">
      <ResourceFinder v-model="resources" />
      <div><p class="pb-1">It is shared between</p><PercentField v-model="percents" :targets="targets" /></div>
      <div class="flex gap-6"><label class="flex-1">Name<input v-model="name" class="field mt-1 block w-full" maxlength="200" placeholder="what the rule is called" /></label><MonthSpan v-model:from="from" v-model:to="to" /></div>
      <p class="note">For other percentages from another month on, end this split and make a second one.</p>
      <div class="flex items-baseline justify-end gap-5"><span class="note mr-auto">{{ flaws.join(' ') }}</span><button type="button" class="link" @click="emit('close')">Leave it</button><button class="act" :disabled="flaws.length > 0">Put the split first</button></div>
    </form>
  </PlainDialog>
</template>
