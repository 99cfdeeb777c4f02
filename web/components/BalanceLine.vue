<script setup lang="ts">
import { computed } from 'vue'
import type { Balance } from '../../server/features/allocation/balance.ts'
import { get } from '../api/client.ts'
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
  return value.isScoped ? [['Charged to you', value.charged]] : [[first, value.billed], ['= Charged', value.charged], ['+ Held', value.held], ['+ Unassigned', value.unassigned]]
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
  <footer class="frame-foot flex h-[38px] items-center gap-5 border-t border-ink bg-paper px-7" aria-label="Balance line">
    <span v-if="error" class="text-warn">{{ error.message }}</span>
    <template v-else-if="balance">
      <span v-for="[label, value] in parts" :key="label" class="whitespace-nowrap">{{ label }} <b class="ml-1" :data-balance="label">{{ amount(value) }}</b></span>
      <span class="flex-1" />
      <RouterLink v-if="trouble && session.isStaff" :to="trouble.to" class="font-semibold text-warn underline">{{ trouble.text }}</RouterLink>
      <span v-else-if="!balance.isScoped" class="font-semibold whitespace-nowrap text-accent">✓ balances to the last digit</span>
      <span class="note whitespace-nowrap">{{ monthName(balance.month) }}, {{ balance.isScoped ? 'your cost centres' : 'all providers' }}, {{ balance.currency }}</span>
    </template>
    <span v-else class="note">{{ hasMonth ? 'adding up…' : 'No bills yet.' }}</span>
  </footer>
</template>
