<script setup lang="ts">
import { ref } from 'vue'
import PlainDialog from '../../components/PlainDialog.vue'
import { send } from '../../api/client.ts'
import { monthName } from '../../format.ts'
import { useNotes } from '../../stores/notes.ts'
import { useSession } from '../../stores/session.ts'

type State = 'open' | 'review' | 'closed'
const props = defineProps<{ month: string; state: State }>()
const session = useSession()
const notes = useNotes()
const wanted = ref<State | null>(null)
const reason = ref('')
const words = { open: 'open', review: 'in review', closed: 'closed' } as const
const NEXT: Record<State, { to: State; act: string }[]> = {
  open: [{ to: 'review', act: 'Put in review' }],
  review: [{ to: 'open', act: 'Open again' }, { to: 'closed', act: 'Close the period' }],
  closed: [{ to: 'open', act: 'Open again' }],
}
async function change(): Promise<void> {
  const state = wanted.value
  if (!state) return
  try {
    await send('PUT', `/api/periods/${props.month}`, { state, reason: reason.value })
    wanted.value = null
    reason.value = ''
    notes.say(`${monthName(props.month)} is ${words[state]}.`)
    await session.refresh()
  } catch (failure) {
    notes.fail(failure)
  }
}
</script>

<template>
  <span class="note">{{ words[state] }}</span>
  <template v-if="session.canClose"><button v-for="next in NEXT[state]" :key="next.to" class="link" @click="wanted = next.to">{{ next.act }}</button></template>
  <PlainDialog :open="wanted !== null" :title="`${monthName(month)}: ${wanted ? words[wanted] : ''}`" @close="wanted = null">
    <p v-if="wanted === 'closed'">A closed period takes no more bills, rates or runs. Its statements stand.</p>
    <p v-else-if="state === 'closed'">Opening a closed period lets bills and runs change statements that people have seen. Say why.</p>
    <label v-if="state === 'closed'" class="mt-3 block">Reason<input v-model="reason" class="field mt-1 w-full" maxlength="1000" /></label>
    <div class="mt-5 flex justify-end gap-5"><button class="link" @click="wanted = null">Leave it</button><button class="act" :disabled="state === 'closed' && !reason.trim()" @click="change">Do it</button></div>
  </PlainDialog>
</template>
