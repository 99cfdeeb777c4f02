<script setup lang="ts">
import type { CalendarDay, CalendarProvider } from '../../../server/features/intake/calendar.ts'
import type { MeasuredState } from '../../../server/features/kubernetes/routes.ts'
import { get } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, count, dayName, monthName } from '../../format.ts'
import { useSession } from '../../stores/session.ts'

const session = useSession()
const { month } = usePlace()
const { data, error, again } = useAnswer(() => ({ month: month.value, changes: session.changes }), ({ month: asked }, signal) => get<{ providers: CalendarProvider[] }>(`/api/intake/calendar/${asked}`, {}, signal))
const { data: metering } = useAnswer(() => ({ month: month.value, changes: session.changes }), ({ month: asked }, signal) => get<{ measured: MeasuredState[] }>(`/api/intake/measured/${asked}`, {}, signal))
/** A measured day is missing where a later one is there. */
const meterState = (of: MeasuredState, index: number): keyof typeof WORDS => { const day = of.days[index]!; return day.things > 0 ? (day.restated ? 'restated' : 'arrived') : of.days.slice(index).some(({ things }) => things > 0) ? 'missing' : 'future' }
const MEASURED = { metering: { name: 'cluster', things: 'nodes', unit: 'pod hours' }, flows: { name: 'flows of', things: 'networks', unit: 'GB' } } as const
const tellMeter = (of: MeasuredState, index: number): string => { const { day, things, amount: much } = of.days[index]!; return `${of.subject}, ${dayName(day)}: ${WORDS[meterState(of, index)]}${things ? `, ${things} ${MEASURED[of.kind].things}, ${count(Math.round(much))} ${MEASURED[of.kind].unit}` : ''}` }
const WORDS = { arrived: 'arrived', notFinal: 'arrived, not yet final', restated: 'restated', missing: 'missing', due: 'not here yet', future: 'to come' } as const
const tell = (provider: string, { day, state, lines, billed }: CalendarDay, currency: string): string => `${provider}, ${dayName(day)}: ${WORDS[state]}${lines ? `, ${count(lines)} lines, ${amount(billed.replace(/(\.\d\d)\d*$/, '$1'))} ${currency}` : ''}`
const cents = (decimal: string): string => amount(decimal.replace(/(\.\d\d)\d*$/, '$1'))
</script>

<template>
  <div class="px-7 pb-8">
    <ErrorNote v-if="error" :error="error" @again="again" />
    <template v-else-if="data">
      <p v-if="data.providers.length === 0">No bills yet, so no provider to expect days from.</p>
      <table v-else class="book">
        <thead><tr><th>{{ monthName(month) }}</th><th v-for="{ day } in data.providers[0]!.days" :key="day" class="px-0! text-center! text-[11px]!">{{ Number(day.slice(8)) }}</th><th class="num">lines</th><th class="num">billed</th><th class="num">effective</th><th class="pl-2!" /></tr></thead>
        <tbody><tr v-for="provider in data.providers" :key="provider.provider">
          <td class="whitespace-nowrap">{{ provider.provider }}</td>
          <td v-for="day in provider.days" :key="day.day" class="px-0! text-center"><span class="day" :class="day.state" role="img" :title="tell(provider.provider, day, provider.currency)" :aria-label="tell(provider.provider, day, provider.currency)" :data-day="`${provider.provider} ${day.day}`" :data-state="day.state" /></td>
          <td class="num">{{ count(provider.lines) }}</td><td class="num">{{ cents(provider.billed) }}</td><td class="num">{{ cents(provider.effective) }}</td><td class="note pl-2!">{{ provider.currency }}</td>
        </tr>
        <tr v-for="of in metering?.measured ?? []" :key="of.kind + of.subject">
          <td class="whitespace-nowrap">{{ MEASURED[of.kind].name }} {{ of.subject }}</td>
          <td v-for="(day, index) in of.days" :key="day.day" class="px-0! text-center"><span class="day" :class="meterState(of, index)" role="img" :title="tellMeter(of, index)" :aria-label="tellMeter(of, index)" :data-day="`${of.subject} ${day.day}`" :data-state="meterState(of, index)" /></td>
          <td class="num">{{ count(Math.round(of.days.reduce((sum, { amount: much }) => sum + much, 0))) }}</td><td class="note pl-2!" colspan="3">{{ MEASURED[of.kind].unit }}</td>
        </tr></tbody>
      </table>
      <p class="note mt-4 flex gap-6"><span v-for="(word, state) in WORDS" :key="state" class="flex items-center gap-2"><span class="day" :class="state" />{{ word }}</span></p>
    </template>
    <p v-else class="note">Looking through the bills…</p>
  </div>
</template>

<style scoped>
.day { display: inline-block; width: 12px; height: 14px; border-radius: 50%; border: 2px solid var(--accent); vertical-align: middle; }
.day.arrived { background: var(--accent); }
.day.notFinal { background: repeating-linear-gradient(135deg, var(--accent) 0 2px, var(--page) 2px 4px); }
.day.restated { background: var(--ochre); border-color: var(--ochre); }
.day.missing { border-color: var(--warn); background: linear-gradient(45deg, transparent 42%, var(--warn) 42% 58%, transparent 58%); }
.day.due { border-color: var(--soft); }
.day.future { border-color: var(--rule); border-width: 1px; }
</style>
