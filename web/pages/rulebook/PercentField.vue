<script setup lang="ts">
import { computed } from 'vue'
import { formatAmount } from '../../../core/money/amount.ts'
import { addsUpToHundred, percentSum } from '../../../core/money/percents.ts'
import TargetField from './TargetField.vue'

/** Exact percentages by cost centre or value, which must add up to 100. */
const percents = defineModel<Record<string, string>>({ required: true })
const props = defineProps<{ targets: { code: string; label: string }[] | null }>()
const rows = computed(() => Object.entries(percents.value))
const sum = computed(() => { const total = percentSum(percents.value); return total === null ? null : formatAmount(total) })
const free = computed(() => (props.targets ?? []).filter(({ code }) => !(code in percents.value)))
function set(code: string, text: string): void { percents.value = { ...percents.value, [code]: text.trim() } }
function rename(old: string, code: string): void { percents.value = Object.fromEntries(rows.value.map(([name, text]) => [name === old ? code : name, text])) }
function remove(code: string): void { percents.value = Object.fromEntries(rows.value.filter(([name]) => name !== code)) }
function add(): void {
  const code = props.targets ? free.value[0]?.code : `value ${rows.value.length + 1}`
  if (code !== undefined) percents.value = { ...percents.value, [code]: '' }
}
</script>

<template>
  <div>
    <div v-for="[code, text] in rows" :key="code" class="mb-2 flex items-center gap-3" data-percent>
      <TargetField v-if="targets" class="w-72" :targets="targets" label="Payer" :taken="(other) => other in percents" :model-value="code" @update:model-value="(next) => rename(code, next)" />
      <input v-else class="field w-72" aria-label="Value" maxlength="200" :value="code" @change="rename(code, ($event.target as HTMLInputElement).value.trim())" />
      <input class="field w-28 text-right" aria-label="Per cent" inputmode="decimal" :value="text" @input="set(code, ($event.target as HTMLInputElement).value)" /> %
      <button type="button" class="note hover:text-warn" :aria-label="`Remove ${code}`" @click="remove(code)">Remove</button>
    </div>
    <p class="flex items-baseline gap-5"><button type="button" class="link" :disabled="targets !== null && free.length === 0" @click="add">{{ targets ? 'Add a payer' : 'Add a value' }}</button><span :class="addsUpToHundred(percents) ? 'note' : 'text-warn'" data-percent-sum>{{ sum === null ? 'write plain decimals' : `adds up to ${sum} %` }}</span></p>
  </div>
</template>
