<script setup lang="ts">
import { ref } from 'vue'
import type { RateRow } from '../../../server/features/rates/store.ts'
import { get, send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, monthName } from '../../format.ts'
import { useNotes } from '../../stores/notes.ts'
import { useSession } from '../../stores/session.ts'

const session = useSession()
const notes = useNotes()
const { month } = usePlace()
const { data, error, again } = useAnswer(() => session.changes, (_question, signal) => get<{ rates: RateRow[] }>('/api/rates', {}, signal))
const row = ref({ month: month.value, currency: '', rate: '' })
const csv = ref('')
const problem = ref('')

async function save(text: string): Promise<void> {
  problem.value = ''
  try {
    await send('POST', '/api/rates', { csv: text })
    row.value = { month: month.value, currency: '', rate: '' }
    csv.value = ''
    notes.say('The rates are entered. Months allocated with others are now out of date.')
    await session.refresh()
  } catch (failure) {
    problem.value = (failure as Error).message
  }
}
const enter = (): Promise<void> => save(`month,currency,rate\n${row.value.month},${row.value.currency.toUpperCase()},${row.value.rate}`)
async function read(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (file) await save(await file.text())
}
</script>

<template>
  <div class="grid grid-cols-2 gap-10 px-7 pb-8">
    <div>
      <ErrorNote v-if="error" :error="error" @again="again" />
      <table v-else-if="data" class="book"><thead><tr><th>month</th><th>currency</th><th class="num">{{ session.state?.currency }} for one unit</th></tr></thead>
        <tbody><tr v-for="rate in data.rates" :key="rate.month + rate.currency"><td>{{ monthName(rate.month) }}</td><td>{{ rate.currency }}</td><td class="num">{{ amount(rate.rate.replace(/0+$/, '')) }}</td></tr></tbody></table>
      <p v-if="data && data.rates.length === 0" class="note">No rates yet. Bills in {{ session.state?.currency }} need none.</p>
    </div>
    <form v-if="session.isKeeper" class="self-start" @submit.prevent="enter">
      <h2>Enter a rate</h2>
      <p class="note">Average of the month. A currency without a rate is never taken at 1.</p>
      <div class="mt-2 flex gap-3"><input v-model="row.month" class="field w-28" placeholder="2026-11" aria-label="Month" pattern="\d{4}-\d{2}" required /><input v-model="row.currency" class="field w-20 uppercase" placeholder="USD" aria-label="Currency" maxlength="3" required /><input v-model="row.rate" class="field w-32" placeholder="0.8743" aria-label="Rate" required /><button class="act">Enter</button></div>
      <h2 class="mt-6">From a file</h2>
      <p class="note">CSV with the columns month, currency, rate.</p>
      <input type="file" class="mt-2" accept=".csv" aria-label="File of rates" @change="read" />
      <p v-if="problem" class="mt-3 text-warn" role="alert">{{ problem }}</p>
    </form>
  </div>
</template>
