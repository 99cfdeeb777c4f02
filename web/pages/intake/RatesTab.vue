<script setup lang="ts">
import { computed, ref } from 'vue'
import type { RateKind, RateRow } from '../../../server/features/rates/store.ts'
import { get, send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { evenRows } from '../../decimals.ts'
import { amount, monthName } from '../../format.ts'
import { useNotes } from '../../stores/notes.ts'
import { useSession } from '../../stores/session.ts'

const session = useSession()
const notes = useNotes()
const { month, months } = usePlace()
const { data, error, again } = useAnswer(() => ({ month: month.value, changes: session.changes }), ({ month: asked }, signal) => get<{ rates: RateRow[]; kind: RateKind | null }>('/api/rates', { month: asked }, signal))
const rates = computed(() => evenRows((data.value?.rates ?? []).map((one) => ({ ...one, rate: one.rate.replace(/\.?0+$/, '') })), 'rate'))
const KINDS: Record<RateKind, string> = { average: 'average of the month', monthEnd: 'end of the month', invoice: 'per invoice' }
const blank = () => ({ month: month.value, currency: '', rate: '', kind: 'average' as RateKind, provider: '' })
const row = ref(blank())
const problem = ref('')
const isClosed = computed(() => months.value.find((one) => one.month === month.value)?.state === 'closed')

async function act(work: () => Promise<unknown>, said: string): Promise<void> {
  problem.value = ''
  try {
    await work()
    notes.say(said)
    await session.refresh()
  } catch (failure) {
    problem.value = (failure as Error).message
  }
}
const save = (text: string): Promise<void> => act(async () => { await send('POST', '/api/rates', { csv: text }); row.value = blank() }, 'The rates are entered. Months allocated with others are now out of date.')
const quoted = (text: string): string => `"${text.replaceAll('"', '""')}"`
const enter = (): Promise<void> => save(`month,currency,rate,kind,provider\n${row.value.month},${row.value.currency.toUpperCase()},${row.value.rate},${row.value.kind},${row.value.kind === 'invoice' ? quoted(row.value.provider) : ''}`)
const choose = (kind: string): Promise<void> => act(() => send('PUT', `/api/rates/${month.value}`, { kind }), `${monthName(month.value)} is converted at the ${KINDS[kind as RateKind]}. Run its allocation again.`)
async function read(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (file) await save(await file.text())
}
</script>

<template>
  <div class="grid grid-cols-2 gap-10 px-7 pb-8">
    <div>
      <ErrorNote v-if="error" :error="error" @again="again" />
      <table v-else-if="data" class="book"><thead><tr><th>month</th><th>currency</th><th>kind</th><th class="num">{{ session.state?.currency }} for one unit</th></tr></thead>
        <tbody><tr v-for="rate in rates" :key="rate.month + rate.kind + rate.currency + rate.provider" :class="{ 'font-semibold': rate.month === month && rate.kind === data.kind }"><td>{{ monthName(rate.month) }}</td><td>{{ rate.currency }}</td><td class="note">{{ KINDS[rate.kind] }}<template v-if="rate.provider">, {{ rate.provider }}</template></td><td class="num">{{ amount(rate.rate) }}</td></tr></tbody></table>
      <p v-if="data && data.rates.length === 0" class="note">No rates yet. Bills in {{ session.state?.currency }} need none.</p>
    </div>
    <div class="self-start">
      <h2>{{ monthName(month) }} is converted at</h2>
      <p class="mt-1"><select class="field" aria-label="Kind of rate" :value="data?.kind ?? 'average'" :disabled="!session.isKeeper || isClosed" @change="choose(($event.target as HTMLSelectElement).value)"><option v-for="(label, kind) in KINDS" :key="kind" :value="kind">{{ label }}</option></select><span v-if="isClosed" class="note ml-3">frozen: the period is closed</span></p>
      <p class="note mt-1">A currency without a rate of that kind is named, and never taken at 1.</p>
      <form v-if="session.isKeeper" @submit.prevent="enter">
        <h2 class="mt-6">Enter a rate</h2>
        <div class="mt-2 flex flex-wrap gap-3"><input v-model="row.month" class="field w-24" placeholder="2026-11" aria-label="Month" pattern="\d{4}-\d{2}" required /><input v-model="row.currency" class="field w-18 uppercase" placeholder="USD" aria-label="Currency" maxlength="3" required /><input v-model="row.rate" class="field w-28" placeholder="0.8743" aria-label="Rate" required /><select v-model="row.kind" class="field" aria-label="Kind"><option v-for="(label, kind) in KINDS" :key="kind" :value="kind">{{ label }}</option></select><input v-if="row.kind === 'invoice'" v-model.trim="row.provider" class="field w-32" placeholder="provider" aria-label="Provider" required /><button class="act">Enter</button></div>
        <h2 class="mt-6">From a file</h2>
        <p class="note">CSV with the columns month, currency, rate; and kind (average, monthEnd, invoice) and provider where wanted.</p>
        <input type="file" class="mt-2" accept=".csv" aria-label="File of rates" @change="read" />
      </form>
      <p v-if="problem" class="mt-3 text-warn" role="alert">{{ problem }}</p>
    </div>
  </div>
</template>
