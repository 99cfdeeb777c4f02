<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { workingsText, type Workings } from '../../core/workings/workings.ts'
import { get } from '../api/client.ts'
import { useAnswer } from '../composables/useAnswer.ts'
import { usePlace } from '../composables/usePlace.ts'
import { amount } from '../format.ts'
import { useNotes } from '../stores/notes.ts'
import ErrorNote from './ErrorNote.vue'

const { figure, openFigure, linkTo } = usePlace()
const notes = useNotes()
const { data: workings, error, isLoading, again } = useAnswer(() => figure.value, (ref, signal) => get<Workings>('/api/workings', { figure: ref }, signal))

/** The figures opened on the way here, so that each step can be gone back. */
const trail = ref<string[]>([])
watch(figure, (now, before) => {
  if (!now) trail.value = []
  else if (trail.value.at(-1) === now) trail.value.pop()
  else if (before) trail.value.push(before)
})
const isOpenable = computed(() => workings.value !== null)
async function copy(): Promise<void> {
  if (!workings.value) return
  try {
    await navigator.clipboard.writeText(workingsText(workings.value))
    notes.say('The workings are in the clipboard.')
  } catch {
    notes.say('The browser did not allow the clipboard. Select the text and copy it by hand.', { isError: true })
  }
}
</script>

<template>
  <aside class="margin flex w-[318px] shrink-0 flex-col overflow-auto border-l border-rule bg-paper px-5 py-5" aria-label="Workings">
    <div class="flex items-baseline justify-between">
      <h2 class="text-[16px]! font-normal! italic">Workings</h2>
      <span class="flex gap-3">
        <button v-if="trail.length" class="note hover:text-ink" @click="openFigure(trail.at(-1)!)">Back</button>
        <button class="note hover:text-ink" aria-label="Shut the workings" @click="openFigure(null)">Shut</button>
      </span>
    </div>
    <ErrorNote v-if="error" :error="error" @again="again" />
    <p v-else-if="!workings && isLoading" class="note mt-3">Working it out…</p>
    <template v-else-if="workings">
      <p class="mt-1 text-[13px] text-soft"><span class="text-ink">{{ workings.title }}</span><br />{{ workings.subtitle }}</p>
      <p class="serif mt-1 text-[20px] font-bold break-all" data-workings-amount>{{ amount(workings.amount) }} <span class="note font-sans">{{ workings.currency }}</span></p>
      <ol class="mt-3 flex flex-col gap-1">
        <li v-for="(term, index) in workings.terms" :key="index">
          <p v-if="term.sign === '×' || term.sign === '÷'" class="pl-3 text-soft">{{ term.sign }}</p>
          <component :is="term.opens ? 'button' : 'div'" class="block w-full border-l-2 py-[2px] pl-3 text-left" :class="term.opens ? 'border-ochre hover:bg-wash' : 'border-rule'" @click="term.opens && openFigure(term.opens)">
            <span class="flex justify-between gap-3">
              <span><span v-if="['=', '+', '−'].includes(term.sign)" class="mr-1 text-soft">{{ term.sign }}</span>{{ term.label }}</span>
              <span class="text-right font-semibold whitespace-nowrap">{{ amount(term.amount, { most: 10 }) }}</span>
            </span>
            <span v-if="term.note || term.unit !== workings.currency" class="note flex justify-between gap-3 text-[12px]!"><span>{{ term.note }}</span><span v-if="term.unit !== workings.currency" class="whitespace-nowrap">{{ term.unit }}</span></span>
          </component>
        </li>
      </ol>
      <p v-for="rule in workings.rules" :key="rule.name" class="note mt-3 border-t border-rule pt-3">rule {{ rule.name }}, rulebook {{ rule.version }}, {{ rule.author }}, {{ rule.published }}</p>
      <div class="mt-4 flex flex-col items-start gap-2">
        <RouterLink v-if="workings.charges" class="link" :to="linkTo('/charges', { of: workings.charges })">Open the charge lines ›</RouterLink>
        <button v-if="isOpenable" class="link" @click="copy">Copy as text</button>
      </div>
    </template>
  </aside>
</template>
