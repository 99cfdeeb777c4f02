<script setup lang="ts">
import { computed } from 'vue'
import type { Balance } from '../../server/features/allocation/balance.ts'
import { writeRef } from '../../core/workings/workings.ts'
import { get } from '../api/client.ts'
import FigureButton from './FigureButton.vue'
import { useAnswer } from '../composables/useAnswer.ts'
import { usePlace } from '../composables/usePlace.ts'
import { amount, isZero, monthName } from '../format.ts'
import { useSession } from '../stores/session.ts'

const session = useSession()
const { month, basis, linkTo } = usePlace()
const hasMonth = computed(() => (session.state?.months.length ?? 0) > 0)
const { data: balance, error } = useAnswer(() => (hasMonth.value ? { month: month.value, basis: basis.value, changes: session.changes } : null), ({ month: asked, basis: by }, signal) => get<Balance>('/api/balance', { month: asked, basis: by }, signal))
const parts = computed(() => {
  const { value } = balance
  if (!value) return []
  const first = value.basis === 'billed' ? 'Billed' : 'Effective cost'
  const refOf = (kind: string, ...parts: string[]): string | null => (value.runId === null ? null : writeRef({ kind, month: value.month, basis: value.basis, parts }))
  const charged = refOf('charged')
  if (value.isScoped) return [{ label: 'Charged to you', value: value.charged, figure: charged }]
  return [
    { label: first, value: value.billed, figure: refOf('keys') }, { label: '= Charged', value: value.charged, figure: charged },
    { label: '+ Held', value: value.held, figure: null }, { label: '+ Unassigned', value: value.unassigned, figure: isZero(value.unassigned) ? null : refOf('keys', 'kind=unassigned') },
  ]
})
const trouble = computed(() => {
  const { value } = balance
  if (!value) return null
  if (value.missingRates.length > 0) return { text: `no rate for ${value.missingRates.join(', ')}`, to: linkTo('/intake?tab=rates') }
  if (value.standing === 'none') return { text: 'not allocated yet', to: linkTo('/allocation') }
  if (!isZero(value.difference)) return { text: `differs by ${amount(value.difference, { signed: true })}: the run is out of date`, to: linkTo('/allocation') }
  return value.standing === 'outOfDate' ? { text: 'balances, but the run is out of date', to: linkTo('/allocation') } : null
})
</script>

<template>
  <footer class="frame-foot flex h-[38px] items-center gap-[clamp(8px,1.4vw,20px)] border-t border-ink bg-paper px-7" aria-label="Balance line">
    <span v-if="error" class="text-warn">{{ error.message }}</span>
    <template v-else-if="balance">
      <span v-for="{ label, value, figure } in parts" :key="label" class="whitespace-nowrap">{{ label }} <b class="ml-1" :data-balance="label"><FigureButton :value="value" :figure="figure" /></b></span>
      <span class="flex-1" />
      <RouterLink v-if="trouble && session.isStaff" :to="trouble.to" class="font-semibold text-warn underline">{{ trouble.text }}</RouterLink>
      <span v-else-if="!balance.isScoped" class="font-semibold whitespace-nowrap text-accent">✓ balances to the last digit</span>
      <span class="note truncate">{{ monthName(balance.month) }}, {{ balance.isScoped ? 'your cost centres' : 'all providers' }}, {{ balance.currency }}</span>
    </template>
    <span v-else class="note">{{ hasMonth ? 'adding up…' : 'No bills yet.' }}</span>
  </footer>
</template>
