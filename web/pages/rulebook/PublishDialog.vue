<script setup lang="ts">
import { computed, ref } from 'vue'
import type { CostCentre } from '../../../core/types.ts'
import type { Effect } from '../../../server/features/rulebook/effect.ts'
import { get, send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import PlainDialog from '../../components/PlainDialog.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, monthName } from '../../format.ts'
import { useDraft } from '../../stores/draft.ts'
import { useNotes } from '../../stores/notes.ts'
import MovedMoneyTable from './MovedMoneyTable.vue'
import { centreName } from './words.ts'

const props = defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: [] }>()
const draft = useDraft()
const notes = useNotes()
const { currency, months } = usePlace()
const note = ref('')
const isBusy = ref(false)
const { data, error, again } = useAnswer(() => (props.open && draft.rulebook ? { months: months.value.map(({ month }) => month).slice(-36), rulebook: draft.rulebook } : null), (question, signal) => send<{ effects: Effect[]; closed: string[] }>('POST', '/api/rulebook/effect', question, signal), { keep: false })
const { data: organisation } = useAnswer(() => (props.open ? 'organisation' : null), (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
const nameOf = (code: string): string => (code === 'unassigned' ? 'Unassigned' : code === 'held' ? 'Held or set aside' : centreName(code, organisation.value?.centres ?? []))
const moved = computed(() => (data.value?.effects ?? []).map((effect) => ({ ...effect, centres: [...effect.centres].sort((a, b) => Math.abs(Number(b.change)) - Math.abs(Number(a.change))) })))

async function publish(): Promise<void> {
  isBusy.value = true
  try {
    const version = await draft.publish(note.value.trim())
    note.value = ''
    emit('close')
    notes.say(`Version ${version} of the rulebook is published. Run the allocation of the open months to charge by it.`)
  } catch (failure) {
    notes.fail(failure)
  } finally {
    isBusy.value = false
  }
}
</script>

<template>
  <PlainDialog :open="open" title="What the draft changes" wide @close="emit('close')">
    <ErrorNote v-if="error" :error="error" @again="again" />
    <div v-else-if="data" class="max-h-[52vh] overflow-auto">
      <section v-for="effect in moved" :key="effect.month" class="mb-4" :data-effect="effect.month">
        <h2>{{ monthName(effect.month) }}</h2>
        <template v-if="effect.moves.length"><h3 class="note">Where the money goes from and to, before pools are shared</h3><MovedMoneyTable :moves="effect.moves" :more="effect.moreMoves" :centres="organisation?.centres ?? []" :pools="draft.rulebook?.pools ?? []" :currency="currency" /></template>
        <h3 v-if="effect.moves.length && effect.centres.length" class="note mt-3">What each cost centre is charged, pools shared</h3>
        <p v-if="effect.centres.length === 0" class="note">No money moves.</p>
        <table v-else class="book"><thead><tr><th>cost centre</th><th class="num">now</th><th class="num">with the draft</th><th class="num">change, {{ currency }}</th></tr></thead>
          <tbody><tr v-for="centre in effect.centres" :key="centre.code"><td>{{ nameOf(centre.code) }}</td><td class="num">{{ amount(centre.before) }}</td><td class="num">{{ amount(centre.after) }}</td><td class="num font-semibold" :data-change="centre.code">{{ amount(centre.change, { signed: true }) }}</td></tr></tbody></table>
      </section>
      <p v-if="data.closed.length" class="note">{{ data.closed.length }} closed month{{ data.closed.length > 1 ? 's' : '' }}, {{ data.closed[0] }} to {{ data.closed.at(-1) }}, will not change.</p>
    </div>
    <p v-else class="note">Running both rulebooks over the open months…</p>
    <ul v-if="draft.problems.length" class="mt-3 border-l-2 border-warn pl-3"><li v-for="problem in draft.problems.slice(0, 8)" :key="problem.message">{{ problem.message }}</li></ul>
    <label class="mt-4 block">Why<input v-model="note" class="field mt-1 w-full" maxlength="1000" placeholder="What changes and why, for those who look back" /></label>
    <div class="mt-4 flex justify-end gap-5"><button class="link" @click="emit('close')">Not yet</button><button class="act" :disabled="isBusy || !note.trim() || draft.problems.length > 0 || !data" @click="publish">Publish</button></div>
  </PlainDialog>
</template>
