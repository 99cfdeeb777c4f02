<script setup lang="ts">
import { computed, ref, toRaw } from 'vue'
import type { CostCentre, MarkUp } from '../../../core/types.ts'
import { get } from '../../api/client.ts'
import PlainDialog from '../../components/PlainDialog.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { newId, useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'

const draft = useDraft()
const session = useSession()
const { data: organisation } = useAnswer(() => 'organisation', (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
const centres = computed(() => organisation.value?.centres ?? [])
const markUps = computed(() => draft.rulebook?.markUps ?? [])
const edited = ref<MarkUp | null>(null)
const ON = { all: 'all charged cost', direct: 'direct cost', pools: 'shares of pools' } as const
const feeOf = ({ fee, on }: MarkUp): string => (fee.kind === 'percent' ? `${fee.percent} % of ${ON[on]}` : `${fee.amount} a month and cost centre`)
const edit = (markUp: MarkUp | null): void => { edited.value = markUp ? structuredClone(toRaw(markUp)) : { id: newId(), name: '', costCentres: [], on: 'all', fee: { kind: 'percent', percent: '' }, recoveryAccount: '' } }
const number = computed({
  get: () => (edited.value?.fee.kind === 'percent' ? edited.value.fee.percent : (edited.value?.fee.amount ?? '')),
  set: (text: string) => { if (edited.value) edited.value.fee = edited.value.fee.kind === 'percent' ? { kind: 'percent', percent: text } : { kind: 'amount', amount: text } },
})
const setKind = (kind: string): void => { const text = number.value; edited.value!.fee = kind === 'percent' ? { kind, percent: text } : { kind: 'amount', amount: text } }
const flaw = computed(() => {
  const { value: one } = edited
  if (!one) return ''
  if (!one.name.trim() || !one.recoveryAccount.trim()) return 'Give it a name and the account that it is credited to.'
  return /^-?\d+(\.\d{1,10})?$/.test(number.value) ? '' : 'Write the fee as a plain decimal, such as 3 or 2.5.'
})
function keep(): void {
  const one = edited.value!
  draft.change({ ...draft.rulebook!, markUps: markUps.value.some(({ id }) => id === one.id) ? markUps.value.map((old) => (old.id === one.id ? one : old)) : [...markUps.value, one] })
  edited.value = null
}
const remove = (markUp: MarkUp): void => draft.change({ ...draft.rulebook!, markUps: markUps.value.filter(({ id }) => id !== markUp.id) }, `Mark-up “${markUp.name}” is deleted.`)
const flip = (code: string): void => { const { costCentres } = edited.value!; edited.value!.costCentres = costCentres.includes(code) ? costCentres.filter((other) => other !== code) : [...costCentres, code].sort() }
</script>

<template>
  <div class="px-7 pb-8">
    <div class="flex items-baseline justify-between pb-1"><p class="note">A fee on top of what is charged, after all else. It stands apart on statements and is no part of the balance.</p><button v-if="session.isKeeper" class="link" @click="edit(null)">Add a mark-up</button></div>
    <table v-if="markUps.length" class="book"><thead><tr><th>mark-up</th><th>how much</th><th>who pays it</th><th>recovery account</th><th /></tr></thead>
      <tbody><tr v-for="one in markUps" :key="one.id" :data-mark-up-name="one.name"><td><button class="font-semibold hover:underline" @click="edit(one)">{{ one.name }}</button></td><td>{{ feeOf(one) }}</td><td class="note">{{ one.costCentres.length ? one.costCentres.join(', ') : 'all that are charged anything' }}</td><td>{{ one.recoveryAccount }}</td><td class="text-right"><button v-if="session.isKeeper" class="note hover:text-warn" @click="remove(one)">Delete</button></td></tr></tbody></table>
    <p v-else>No mark-up: statements charge cost alone.</p>
    <PlainDialog :open="edited !== null" title="A mark-up" @close="edited = null">
      <form v-if="edited" @submit.prevent="!flaw && keep()">
        <fieldset :disabled="!session.isKeeper" class="flex flex-col gap-3">
          <div class="flex gap-4"><label class="flex-1">Name<input v-model="edited.name" class="field mt-1 block w-full" maxlength="200" /></label><label>Recovery account<input v-model="edited.recoveryAccount" class="field mt-1 block w-36" maxlength="64" /></label></div>
          <div class="flex items-end gap-4"><label>Fee<input v-model.trim="number" class="field mt-1 block w-28 text-right" inputmode="decimal" /></label>
            <label>as<select class="field mt-1 block" :value="edited.fee.kind" @change="setKind(($event.target as HTMLSelectElement).value)"><option value="percent">per cent</option><option value="amount">an amount a month</option></select></label>
            <label v-if="edited.fee.kind === 'percent'">of<select v-model="edited.on" class="field mt-1 block"><option v-for="(label, on) in ON" :key="on" :value="on">{{ label }}</option></select></label></div>
          <p class="note">Who pays it; nobody marked: all that are charged anything.</p>
          <div class="max-h-56 overflow-auto border-t border-rule" tabindex="0" role="region" aria-label="Who pays it"><label v-for="centre in centres" :key="centre.code" class="flex items-center justify-between border-b border-rule py-1"><span>{{ centre.code }} {{ centre.name }}</span><input type="checkbox" :checked="edited.costCentres.includes(centre.code)" @change="flip(centre.code)" /></label></div>
        </fieldset>
        <p v-if="flaw && session.isKeeper" class="note mt-2">{{ flaw }}</p>
        <div class="mt-4 flex justify-end gap-5"><button type="button" class="link" @click="edited = null">Leave it</button><button v-if="session.isKeeper" class="act" :disabled="flaw !== ''">Keep the mark-up</button></div>
      </form>
    </PlainDialog>
  </div>
</template>
