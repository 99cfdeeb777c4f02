<script setup lang="ts">
import { computed, ref } from 'vue'
import { fieldLabel } from '../../../core/charges/attributes.ts'
import type { Basis } from '../../../core/types.ts'
import { get } from '../../api/client.ts'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import FigureButton from '../../components/FigureButton.vue'
import { writeRef } from '../../../core/workings/workings.ts'
import { useSession } from '../../stores/session.ts'

const props = defineProps<{ month: string; basis: Basis; most: number }>()
const session = useSession()
const { currency, linkTo } = usePlace()
const WAYS = computed((): Record<string, string> => ({ centre: 'cost centre', ProviderName: 'provider', ServiceName: 'service', SubAccountId: 'sub account', RegionId: 'region', ...Object.fromEntries((session.state?.fields ?? []).map((field) => [field, fieldLabel(field)])) }))
const by = ref('centre')

interface Spender { label: string; amount: string; figure: string | null; to: ReturnType<typeof linkTo> | null }
const { data: spenders, error } = useAnswer(() => ({ by: by.value, month: props.month, basis: props.basis, changes: session.changes }), async ({ by: way, month, basis }, signal): Promise<Spender[]> => {
  if (way === 'centre') {
    const { centres } = await get<{ centres: { code: string; name: string; total: string }[] }>('/api/statements', { month, basis }, signal)
    return centres.map(({ code, name, total }) => ({ label: `${code} ${name}`, amount: total, figure: writeRef({ kind: 'statement', month, basis, parts: [`cc:${code}`] }), to: linkTo(`/statements/cc:${code}`) })).sort((a, b) => Number(b.amount) - Number(a.amount))
  }
  const { values } = await get<{ values: { value: string | null; amount: string }[] }>('/api/desk/top', { month, basis, by: way }, signal)
  return values.map(({ value, amount }) => ({ label: value ?? 'none', amount, figure: null, to: null }))
})
const top = computed(() => (spenders.value ?? []).slice(0, props.most))
const largest = computed(() => Math.max(1, ...top.value.map(({ amount }) => Math.abs(Number(amount)))))
</script>

<template>
  <p v-if="error" class="text-warn">{{ error.message }}</p>
  <table class="book">
    <thead><tr><th><label>by <select v-model="by" class="border-b border-rule bg-transparent text-ink"><option v-for="(name, way) in WAYS" :key="way" :value="way">{{ name }}</option></select></label></th><th aria-label="share of the largest" /><th class="num">{{ currency }}</th></tr></thead>
    <tbody>
      <tr v-for="spender in top" :key="spender.label">
        <td class="max-w-56 truncate"><RouterLink v-if="spender.to" :to="spender.to" class="hover:underline">{{ spender.label }}</RouterLink><template v-else>{{ spender.label }}</template></td>
        <td class="w-[34%]"><span class="block h-[9px] bg-[var(--rod)]" :style="{ width: `${(Math.abs(Number(spender.amount)) / largest) * 100}%` }" /></td>
        <td class="num"><FigureButton :value="spender.amount" :figure="spender.figure" /></td>
      </tr>
    </tbody>
  </table>
</template>
