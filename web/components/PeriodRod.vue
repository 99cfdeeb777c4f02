<script setup lang="ts">
import { computed } from 'vue'
import { usePlace } from '../composables/usePlace.ts'
import { monthName, monthShort, monthShortYear } from '../format.ts'

const { month, months, go } = usePlace()
/** The rod shows the months around the one in hand; closed ones slid to the left, the others to the right. */
const MOST = 16
const shown = computed(() => {
  const at = Math.max(0, months.value.findIndex((candidate) => candidate.month === month.value))
  const from = Math.max(0, Math.min(at - MOST + 4, months.value.length - MOST))
  return months.value.slice(from, from + MOST)
})
const closed = computed(() => shown.value.filter(({ state }) => state === 'closed'))
const open = computed(() => shown.value.filter(({ state }) => state !== 'closed'))
const label = (name: string, index: number): string => (index === 0 || name.endsWith('-01') ? monthShortYear(name) : monthShort(name))
const words = { open: 'open', review: 'in review', closed: 'closed' } as const
</script>

<template>
  <nav v-if="shown.length" aria-label="Periods" class="relative mx-7 flex h-12 items-start justify-between">
    <span class="absolute top-[14px] right-0 left-0 h-[3px] rounded bg-[var(--rod)]" aria-hidden="true" />
    <ol v-for="(beads, side) in [closed, open]" :key="side" class="relative flex">
      <li v-for="({ month: name, state }, index) in beads" :key="name" class="w-[54px] text-center">
        <button class="bead-button" :aria-current="name === month ? 'true' : undefined" :title="`${monthName(name)}, ${words[state]}`" :aria-label="`${monthName(name)}, ${words[state]}`" @click="go({ month: name, figure: undefined })">
          <span class="bead" :class="[state, { chosen: name === month }]" />
          <span class="block text-[11px] leading-4 whitespace-nowrap" :class="name === month ? 'font-semibold' : 'text-soft'">{{ label(name, side === 0 ? index : index + 1) }}</span>
        </button>
      </li>
    </ol>
  </nav>
  <p v-else class="note px-7 pb-3">No period yet: load a bill in Intake.</p>
</template>

<style scoped>
.bead-button { display: inline-block; }
.bead { display: inline-block; width: 30px; height: 21px; margin-top: 5px; border-radius: 50%; border: 2.5px solid var(--accent); background: var(--accent); }
.bead.open { background: var(--page); }
.bead.review { background: linear-gradient(90deg, var(--accent) 50%, var(--page) 50%); }
.bead.chosen { box-shadow: 0 0 0 2px var(--paper), 0 0 0 4px var(--ochre); }
</style>
