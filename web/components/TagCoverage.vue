<script setup lang="ts">
import { computed, ref } from 'vue'
import { COVERAGE_FALL } from '../../core/clean/coverage.ts'
import type { CoverageRow } from '../../server/features/rulebook/cleaning.ts'
import { monthShortYear } from '../format.ts'

/** Coverage of the tag keys that count: a row a provider, a column a month. */
const props = defineProps<{ rows: CoverageRow[] }>()
const keys = computed(() => [...new Set(props.rows.map(({ key }) => key))])
const chosen = ref('')
const key = computed(() => (keys.value.includes(chosen.value) ? chosen.value : (keys.value[0] ?? '')))
const months = computed(() => [...new Set(props.rows.map(({ month }) => month))])
const lines = computed(() => [...new Set(props.rows.map(({ provider }) => provider))].sort().map((provider) => ({
  provider,
  cells: months.value.map((month, index) => {
    const at = (one: string | undefined): CoverageRow | undefined => props.rows.find((row) => row.key === key.value && row.provider === provider && row.month === one)
    const [row, before] = [at(month), at(months.value[index - 1])]
    const fall = row?.billed != null && before?.billed != null && before.billed - row.billed > COVERAGE_FALL
    return { month, billed: row?.billed ?? null, cleaned: row?.cleaned ?? null, fall }
  }),
})))
const share = (value: number | null): string => (value === null ? '' : `${(value * 100).toFixed(value > 0.9995 || value < 0.0005 ? 0 : 1)}`)
</script>

<template>
  <section aria-label="Coverage of tags">
    <p class="flex items-baseline gap-4 pb-1"><span class="note">Share of the money of resources that carries the tag, as billed; after the clean-up below it where that differs. A fall of more than {{ COVERAGE_FALL * 100 }} point is marked.</span></p>
    <p class="flex gap-4 pb-2"><button v-for="one in keys" :key="one" :aria-pressed="one === key" class="border-b" :class="one === key ? 'border-ochre font-semibold' : 'border-transparent text-soft hover:text-ink'" @click="chosen = one">{{ one }}</button></p>
    <div class="overflow-x-auto" tabindex="0" role="region" aria-label="Coverage by provider and month"><table class="book"><thead><tr><th>provider</th><th v-for="month in months" :key="month" class="num">{{ monthShortYear(month) }}</th></tr></thead>
      <tbody><tr v-for="line in lines" :key="line.provider"><td class="whitespace-nowrap">{{ line.provider }}</td>
        <td v-for="cell in line.cells" :key="cell.month" class="num leading-tight" :class="{ 'text-warn font-semibold': cell.fall }" :data-coverage="`${key} ${line.provider} ${cell.month}`">{{ share(cell.billed) }}<span v-if="cell.fall"> ▾</span><span v-if="cell.cleaned !== null && share(cell.cleaned) !== share(cell.billed)" class="note block text-[11.5px]! font-normal">{{ share(cell.cleaned) }}</span></td></tr></tbody></table></div>
  </section>
</template>
