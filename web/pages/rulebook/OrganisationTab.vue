<script setup lang="ts">
import { computed, ref } from 'vue'
import type { CostCentre } from '../../../core/types.ts'
import { get, send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import PlainDialog from '../../components/PlainDialog.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { useNotes } from '../../stores/notes.ts'
import { useSession } from '../../stores/session.ts'

interface Unit { code: string; name: string; owner: string }
const session = useSession()
const notes = useNotes()
const { data, error, again } = useAnswer(() => session.changes, (_question, signal) => get<{ units: Unit[]; centres: CostCentre[] }>('/api/organisation', {}, signal))
const units = computed(() => (data.value?.units ?? []).map((unit) => ({ ...unit, centres: data.value!.centres.filter((centre) => centre.unit === unit.code) })))
const centre = ref<CostCentre | null>(null)
const unit = ref<Unit | null>(null)
const isNew = ref(false)
const problem = ref('')

function edit(value: CostCentre | Unit | null, kind: 'centre' | 'unit'): void {
  isNew.value = value === null
  problem.value = ''
  if (kind === 'centre') centre.value = value ? { ...(value as CostCentre) } : { code: '', name: '', unit: data.value?.units[0]?.code ?? '', owner: '', ledgerAccount: '', validFrom: null, validTo: null }
  else unit.value = value ? { code: value.code, name: value.name, owner: value.owner } : { code: '', name: '', owner: '' }
}
async function act(work: () => Promise<unknown>): Promise<void> {
  try {
    await work()
    centre.value = unit.value = null
    await session.refresh()
  } catch (failure) {
    problem.value = (failure as Error).message
    if (!centre.value && !unit.value) notes.fail(failure)
  }
}
const keepCentre = (): Promise<void> => act(() => send('PUT', `/api/organisation/centres/${encodeURIComponent(centre.value!.code)}`, { ...centre.value!, validFrom: centre.value!.validFrom || null, validTo: centre.value!.validTo || null }))
const keepUnit = (): Promise<void> => act(() => send('PUT', `/api/organisation/units/${encodeURIComponent(unit.value!.code)}`, unit.value))
async function remove(old: CostCentre): Promise<void> {
  await act(async () => {
    await send('DELETE', `/api/organisation/centres/${encodeURIComponent(old.code)}`)
    notes.say(`${old.code} ${old.name} is deleted.`, { undo: () => void act(() => send('PUT', `/api/organisation/centres/${encodeURIComponent(old.code)}`, old)) })
  })
}
async function read(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (!file) return
  await act(async () => {
    const taken = await send<{ units: number; centres: number }>('POST', '/api/organisation/csv', { csv: await file.text() })
    notes.say(`${taken.centres} cost centres in ${taken.units} business units were taken from the file.`)
  })
  input.value = ''
}
</script>

<template>
  <div class="px-7 pb-8">
    <ErrorNote v-if="error" :error="error" @again="again" />
    <div class="flex items-baseline justify-end gap-5 pb-1"><a class="link" href="/api/organisation.csv" download>As CSV</a><template v-if="session.isKeeper"><label class="link cursor-pointer">From CSV<input type="file" class="sr-only" accept=".csv" @change="read" /></label><button class="link" @click="edit(null, 'unit')">Add a unit</button><button class="link" :disabled="!data?.units.length" @click="edit(null, 'centre')">Add a cost centre</button></template></div>
    <p v-if="data && units.length === 0">No business unit yet. Add one, or take the organisation from a CSV with the columns unit, unit_name, unit_owner, cost_centre, name, owner, ledger_account, valid_from, valid_to.</p>
    <table v-else-if="data" class="book">
      <thead><tr><th>cost centre</th><th>owner</th><th>ledger account</th><th>holds</th><th /></tr></thead>
      <tbody v-for="group in units" :key="group.code">
        <tr class="group"><td><button class="hover:underline" :disabled="!session.isKeeper" @click="edit(group, 'unit')">{{ group.code }} {{ group.name }}</button></td><td>{{ group.owner }}</td><td /><td /><td /></tr>
        <tr v-for="item in group.centres" :key="item.code"><td class="pl-4!"><button class="hover:underline" :disabled="!session.isKeeper" @click="edit(item, 'centre')">{{ item.code }} {{ item.name }}</button></td><td>{{ item.owner }}</td><td>{{ item.ledgerAccount }}</td><td class="note">{{ item.validFrom ?? 'always' }}{{ item.validTo ? ` to ${item.validTo}` : '' }}</td><td class="text-right"><button v-if="session.isKeeper" class="note hover:text-warn" :aria-label="`Delete ${item.code}`" @click="remove(item)">Delete</button></td></tr>
      </tbody>
    </table>
    <PlainDialog :open="centre !== null" :title="isNew ? 'A new cost centre' : 'A cost centre'" @close="centre = null">
      <form v-if="centre" class="grid grid-cols-2 gap-4" @submit.prevent="keepCentre">
        <label>Code<input v-model.trim="centre.code" class="field mt-1 w-full" maxlength="32" required :readonly="!isNew" /></label>
        <label>Name<input v-model.trim="centre.name" class="field mt-1 w-full" maxlength="200" required /></label>
        <label>Business unit<select v-model="centre.unit" class="field mt-1 w-full"><option v-for="group in units" :key="group.code" :value="group.code">{{ group.code }} {{ group.name }}</option></select></label>
        <label>Owner<input v-model.trim="centre.owner" class="field mt-1 w-full" maxlength="200" /></label>
        <label>Ledger account<input v-model.trim="centre.ledgerAccount" class="field mt-1 w-full" maxlength="64" /></label><span />
        <label>Holds from month<input v-model="centre.validFrom" class="field mt-1 w-full" placeholder="always" pattern="\d{4}-(0[1-9]|1[0-2])" /></label>
        <label>Retired after month<input v-model="centre.validTo" class="field mt-1 w-full" placeholder="not retired" pattern="\d{4}-(0[1-9]|1[0-2])" /></label>
        <p v-if="problem" class="col-span-2 text-warn" role="alert">{{ problem }}</p>
        <div class="col-span-2 flex justify-end gap-5"><button type="button" class="link" @click="centre = null">Leave it</button><button class="act">Keep it</button></div>
      </form>
    </PlainDialog>
    <PlainDialog :open="unit !== null" :title="isNew ? 'A new business unit' : 'A business unit'" @close="unit = null">
      <form v-if="unit" class="flex flex-col gap-4" @submit.prevent="keepUnit">
        <label>Code<input v-model.trim="unit.code" class="field mt-1 w-full" maxlength="32" required :readonly="!isNew" /></label><label>Name<input v-model.trim="unit.name" class="field mt-1 w-full" maxlength="200" required /></label><label>Owner<input v-model.trim="unit.owner" class="field mt-1 w-full" maxlength="200" /></label>
        <p v-if="problem" class="text-warn" role="alert">{{ problem }}</p>
        <div class="flex justify-end gap-5"><button type="button" class="link" @click="unit = null">Leave it</button><button class="act">Keep it</button></div>
      </form>
    </PlainDialog>
  </div>
</template>
