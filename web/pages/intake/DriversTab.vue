<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { CostCentre, Pool } from '../../../core/types.ts'
import type { Driver, DriverValue } from '../../../server/features/drivers/store.ts'
import { get, send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import { addDecimals } from '../../decimals.ts'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, monthName } from '../../format.ts'
import { useNotes } from '../../stores/notes.ts'
import { useSession } from '../../stores/session.ts'

const session = useSession()
const notes = useNotes()
const { route, month, go } = usePlace()
const { data, error, again } = useAnswer(() => ({ month: month.value, changes: session.changes }), ({ month: asked }, signal) => get<{ drivers: Driver[]; values: DriverValue[] }>('/api/drivers', { month: asked }, signal))
const { data: organisation } = useAnswer(() => session.changes, (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
const { data: rulebook } = useAnswer(() => session.changes, (_question, signal) => get<{ draft: { rulebook: { pools: Pool[] } } }>('/api/rulebook', {}, signal))
const drivers = computed(() => data.value?.drivers ?? [])
const code = computed(() => (drivers.value.some((driver) => driver.code === route.query.driver) ? String(route.query.driver) : (drivers.value[0]?.code ?? '')))
const driver = computed(() => drivers.value.find((one) => one.code === code.value) ?? null)
const targets = computed(() => [...(organisation.value?.centres ?? []).map((centre) => ({ target: centre.code, label: `${centre.code} ${centre.name}` })), ...(rulebook.value?.draft.rulebook.pools ?? []).map((pool) => ({ target: `pool:${pool.code}`, label: `Pool ${pool.name}` }))])
const typed = ref<Record<string, string>>({})
watch([data, code], () => { typed.value = Object.fromEntries((data.value?.values ?? []).filter((value) => value.driver === code.value).map(({ target, quantity }) => [target, quantity])) }, { immediate: true })
const given = computed(() => Object.fromEntries(Object.entries(typed.value).filter(([, text]) => text.trim() !== '').map(([target, text]) => [target, text.trim()])))
const sum = computed(() => addDecimals(Object.values(given.value).filter((text) => /^\d+(\.\d+)?$/.test(text))))
const fresh = ref({ code: '', name: '', unit: '' })
const problem = ref('')
async function act(work: () => Promise<unknown>, said = ''): Promise<void> {
  problem.value = ''
  try {
    await work()
    await session.refresh()
    if (said) notes.say(said)
  } catch (failure) {
    problem.value = (failure as Error).message
  }
}
const add = (): Promise<void> => act(async () => {
  await send('PUT', `/api/drivers/${encodeURIComponent(fresh.value.code)}`, { name: fresh.value.name, unit: fresh.value.unit })
  go({ driver: fresh.value.code })
  fresh.value = { code: '', name: '', unit: '' }
})
const keep = (): Promise<void> => act(() => send('PUT', `/api/drivers/${encodeURIComponent(code.value)}/${month.value}`, { values: given.value }), `The quantities of ${monthName(month.value)} are kept. Months shared by others are now out of date.`)
const remove = (): Promise<void> => act(() => send('DELETE', `/api/drivers/${encodeURIComponent(code.value)}`), 'The driver and its quantities are deleted.')
async function read(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (file) await act(async () => { const { quantities, months } = await send<{ quantities: number; months: number }>('POST', '/api/drivers/csv', { csv: await file.text() }); notes.say(`${quantities} quantities of ${months} drivers and months are taken.`) })
}
</script>

<template>
  <div class="grid grid-cols-[1fr_340px] gap-10 px-7 pb-8">
    <div>
      <ErrorNote v-if="error" :error="error" @again="again" />
      <p v-else-if="data && drivers.length === 0">No driver yet. A driver is what a pool is shared by: requests, seats, traffic, service hours, anything countable.</p>
      <template v-else-if="driver">
        <p class="flex flex-wrap gap-4 pb-2"><button v-for="one in drivers" :key="one.code" :aria-pressed="one.code === code" class="border-b" :class="one.code === code ? 'border-ochre font-semibold' : 'border-transparent text-soft hover:text-ink'" @click="go({ driver: one.code })">{{ one.name }}</button></p>
        <form @submit.prevent="keep">
          <table class="book"><thead><tr><th>who uses it</th><th class="num">{{ driver.unit || 'quantity' }}, {{ monthName(month) }}</th></tr></thead>
            <tbody><tr v-for="one in targets" :key="one.target"><td>{{ one.label }}</td><td class="num"><input v-model="typed[one.target]" class="field w-36 text-right" inputmode="decimal" :aria-label="`Quantity of ${one.label}`" :readonly="!session.isKeeper" /></td></tr></tbody>
            <tfoot><tr class="total"><td>In all</td><td class="num">{{ amount(sum) }}</td></tr></tfoot></table>
          <p v-if="session.isKeeper" class="flex justify-end gap-5 pt-3"><button type="button" class="link danger mr-auto" @click="remove">Delete the driver</button><button class="act">Keep the quantities</button></p>
        </form>
      </template>
    </div>
    <div v-if="session.isKeeper" class="self-start">
      <form @submit.prevent="add"><h2>Add a driver</h2><div class="mt-2 flex flex-col gap-2"><label>Code<input v-model.trim="fresh.code" class="field mt-1 block w-full" maxlength="32" required /></label><label>Name<input v-model.trim="fresh.name" class="field mt-1 block w-full" maxlength="200" required /></label><label>Unit<input v-model.trim="fresh.unit" class="field mt-1 block w-full" maxlength="60" placeholder="hours, requests, seats" /></label><button class="act self-end">Add it</button></div></form>
      <h2 class="mt-6">From a file</h2><p class="note">CSV with the columns driver, month, target, quantity; a target is a cost centre or pool:CODE.</p><input type="file" class="mt-2" accept=".csv" aria-label="File of quantities" @change="read" />
      <p v-if="problem" class="mt-3 text-warn" role="alert">{{ problem }}</p>
    </div>
  </div>
</template>
