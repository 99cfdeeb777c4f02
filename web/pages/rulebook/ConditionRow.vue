<script setup lang="ts">
import { computed, ref } from 'vue'
import { fieldLabel } from '../../../core/charges/attributes.ts'
import { OPERATORS, type Condition, type Operator } from '../../../core/types.ts'
import { get } from '../../api/client.ts'
import { useAnswer } from '../../composables/useAnswer.ts'
import { amount } from '../../format.ts'
import { needsValues, OPERATOR_WORDS } from './words.ts'

const props = defineProps<{ condition: Condition; choices: string[]; month: string }>()
const emit = defineEmits<{ change: [condition: Condition]; remove: [] }>()
const text = ref('')
const isOpen = ref(false)
/** The values that really occur, with their money, found by a part of them. */
const { data } = useAnswer(() => (isOpen.value ? { month: props.month, field: props.condition.field, text: text.value } : null), (question, signal) => get<{ values: { value: string | null; amount: string; lines: number }[] }>('/api/rulebook/values', question, signal))
const offered = computed(() => (data.value?.values ?? []).filter(({ value }) => value !== null && !props.condition.values.includes(value)).slice(0, 50))
const change = (part: Partial<Condition>): void => emit('change', { ...props.condition, ...part })
function add(value: string): void {
  if (value && !props.condition.values.includes(value)) change({ values: [...props.condition.values, value] })
  text.value = ''
}
const setOperator = (operator: Operator): void => change({ operator, values: needsValues(operator) ? props.condition.values : [] })
const leave = (): void => { setTimeout(() => { isOpen.value = false; if (text.value.trim()) add(text.value.trim()) }, 150) }
</script>

<template>
  <div class="mb-2 flex items-start gap-2" data-condition>
    <select class="field w-48" aria-label="Attribute" :value="condition.field" @change="change({ field: ($event.target as HTMLSelectElement).value, values: [] })"><option v-for="field in choices" :key="field" :value="field">{{ fieldLabel(field) }}</option></select>
    <select class="field w-40" aria-label="Operator" :value="condition.operator" @change="setOperator(($event.target as HTMLSelectElement).value as Operator)"><option v-for="operator in OPERATORS" :key="operator" :value="operator">{{ OPERATOR_WORDS[operator] }}</option></select>
    <div v-if="needsValues(condition.operator)" class="relative min-w-0 flex-1">
      <div class="field flex flex-wrap items-center gap-1">
        <span v-for="value in condition.values" :key="value" class="max-w-full truncate bg-wash px-2">{{ value }} <button type="button" class="note" :aria-label="`Remove ${value}`" @click="change({ values: condition.values.filter((other) => other !== value) })">×</button></span>
        <input v-model="text" class="min-w-24 flex-1 bg-transparent outline-none" placeholder="a value" aria-label="Value" @focus="isOpen = true" @blur="leave" @keydown.enter.prevent="add(text.trim())" />
      </div>
      <ul v-if="isOpen && offered.length" class="absolute z-20 mt-1 max-h-60 w-full overflow-auto border border-rule bg-page shadow-lg">
        <li v-for="{ value, amount: money } in offered" :key="value!"><button type="button" class="flex w-full justify-between gap-3 px-3 py-1 text-left hover:bg-wash" @mousedown.prevent="add(value!)"><span class="truncate">{{ value }}</span><span class="note">{{ amount(money) }}</span></button></li>
      </ul>
    </div>
    <span v-else class="flex-1" />
    <button type="button" class="note py-1 hover:text-warn" aria-label="Remove the condition" @click="emit('remove')">Remove</button>
  </div>
</template>
