<script setup lang="ts">
import { computed, ref } from 'vue'
import { get } from '../../api/client.ts'
import { readMapping } from '../../csvMapping.ts'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount } from '../../format.ts'
import TargetField from './TargetField.vue'

/** A mapping of the values of a field, edited beside the values that really occur and their money. */
const mapping = defineModel<Record<string, string>>({ required: true })
const props = defineProps<{ field: string; targets?: { code: string; label: string }[] | null; target: string }>()
const { month } = usePlace()
const text = ref('')
const problems = ref<string[]>([])
const { data } = useAnswer(() => (props.field ? { month: month.value, field: props.field, text: text.value } : null), (question, signal) => get<{ values: { value: string | null; amount: string; lines: number }[] }>('/api/rulebook/values', question, signal))
const rows = computed(() => {
  const occurring = (data.value?.values ?? []).flatMap(({ value, amount: money }) => (value === null ? [] : [{ value, money: money as string | null }]))
  const others = Object.keys(mapping.value).filter((value) => value.includes(text.value) && !occurring.some((row) => row.value === value)).map((value) => ({ value, money: null }))
  return [...occurring, ...others]
})
const added = ref('')
function set(value: string, to: string): void {
  const others = Object.entries(mapping.value).filter(([other]) => other !== value)
  mapping.value = Object.fromEntries(to === '' ? others : [...others, [value, to]])
}
function add(): void {
  if (added.value.trim()) text.value = ''
  if (added.value.trim() && !(added.value.trim() in mapping.value)) mapping.value = { ...mapping.value, [added.value.trim()]: props.targets?.[0]?.code ?? added.value.trim() }
  added.value = ''
}
async function read(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (!file) return
  const taken = readMapping(await file.text())
  problems.value = taken.problems
  if (taken.problems.length === 0) mapping.value = { ...mapping.value, ...taken.mapping }
  input.value = ''
}
</script>

<template>
  <div>
    <div class="flex items-baseline gap-4 pb-1"><input v-model="text" class="field w-56" placeholder="find a value" aria-label="Find a value" /><span class="note flex-1">{{ Object.keys(mapping).length }} mapped</span><label class="link cursor-pointer text-[13px]">From CSV<input type="file" class="sr-only" accept=".csv,.txt" @change="read" /></label></div>
    <p v-if="problems.length" class="text-warn" role="alert">The file was not taken: {{ problems.slice(0, 4).join('; ') }}.</p>
    <div class="max-h-56 overflow-auto" tabindex="0" role="region" aria-label="What was found">
      <table class="book"><thead><tr><th>value</th><th class="num">money of the month</th><th class="w-72 pl-4!">{{ target }}</th></tr></thead>
        <tbody><tr v-for="row in rows.slice(0, 300)" :key="row.value" :data-mapped="row.value"><td class="break-all">{{ row.value || 'an empty text' }}</td><td class="num note">{{ row.money === null ? 'none' : amount(row.money) }}</td><td class="pl-4!">
          <TargetField v-if="targets" class="w-full" :targets="targets" :label="`Where ${row.value} goes`" blank="not mapped" :model-value="mapping[row.value] ?? ''" @update:model-value="(code) => set(row.value, code)" />
          <input v-else class="field w-full" :aria-label="`What ${row.value} becomes`" :value="mapping[row.value] ?? ''" placeholder="not mapped" maxlength="200" @change="set(row.value, ($event.target as HTMLInputElement).value.trim())" />
        </td></tr></tbody></table>
    </div>
    <form class="mt-1 flex gap-3" @submit.prevent="add"><input v-model="added" class="field w-56" placeholder="a value that is not listed" aria-label="Another value" @keydown.enter.prevent.stop="add" /><button type="button" class="link text-[13px]" @click="add">Add it</button></form>
  </div>
</template>
