<script setup lang="ts">
import { computed, ref } from 'vue'
import { addMonths } from '../../../core/calendar/month.ts'
import { writeRef } from '../../../core/workings/workings.ts'
import type { DeskFigure } from '../../../server/features/desk/figures.ts'
import type { Movement } from '../../../server/features/desk/movements.ts'
import type { DeskTask } from '../../../server/features/desk/tasks.ts'
import { get } from '../../api/client.ts'
import FigureButton from '../../components/FigureButton.vue'
import ErrorNote from '../../components/ErrorNote.vue'
import PageHead from '../../components/PageHead.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, dayName, monthName } from '../../format.ts'
import { useSession } from '../../stores/session.ts'
import TopSpenders from './TopSpenders.vue'

interface DeskAnswer { figures: { currency: string; figures: DeskFigure[]; isDirectOnly: boolean } | null; problem: string; tasks: DeskTask[] }
const session = useSession()
const { currency, month, basis, linkTo } = usePlace()
const place = computed(() => ({ month: month.value, basis: basis.value }))
const { data: desk, error, isLoading, again } = useAnswer(() => ({ ...place.value, changes: session.changes }), (_question, signal) => get<DeskAnswer>('/api/desk', place.value, signal))
const { data: moved } = useAnswer(() => (session.isStaff ? place.value : null), (question, signal) => get<{ from: string; to: string; movements: Movement[] }>('/api/desk/movements', question, signal))
const most = ref(5)
const isEmpty = computed(() => (session.state?.months.length ?? 0) === 0)
/** Figures that are one month's bills open to their workings. */
const refOf = ({ name }: DeskFigure): string | null => {
  const of = name === 'Month to date' ? month.value : name === 'Last month' ? addMonths(month.value, -1) : null
  return of === null || !session.isStaff ? null : writeRef({ kind: 'keys', month: of, basis: basis.value, parts: [] })
}
const change = ({ amount: now, before }: DeskFigure): string => {
  if (now === null || before === null || Number(before) === 0) return ''
  const value = (Number(now) / Number(before) - 1) * 100
  return `${value < 0 ? '−' : '+'}${Math.abs(value).toFixed(1)} %`
}
</script>

<template>
  <PageHead title="Desk" :detail="`${monthName(month)}${session.state?.isDemo ? ', today is ' + dayName(session.state.today) : ''}`" />
  <section v-if="isEmpty" class="px-7">
    <p>The ledger is empty. Begin by <RouterLink class="link" to="/intake">loading a bill</RouterLink>, then set up cost centres and rules in the <RouterLink class="link" to="/rulebook">rulebook</RouterLink>.</p>
  </section>
  <template v-else>
    <ErrorNote v-if="error" class="mx-7" :error="error" @again="again" />
    <p v-if="desk?.problem" class="mx-7 border-l-2 border-warn pl-3 text-warn" role="alert">{{ desk.problem }}</p>
    <dl v-if="desk?.figures" class="mx-7 grid grid-cols-4 border-t border-b border-ink" data-desk>
      <div v-for="(figure, index) in desk.figures.figures" :key="figure.name" class="py-3 pr-4" :class="{ 'border-l border-rule pl-4': index > 0 }">
        <dt class="note">{{ figure.name }}<template v-if="desk.figures.isDirectOnly">, direct cost</template></dt>
        <dd class="serif text-[22px] font-bold" :data-desk-figure="figure.name"><FigureButton :value="figure.amount" :figure="refOf(figure)" /></dd>
        <dd class="note text-[12px]!">{{ figure.note }}</dd>
        <dd class="note text-[12px]!"><template v-if="figure.before !== null">a year before {{ amount(figure.before) }} <span class="font-semibold text-ink">{{ change(figure) }}</span></template><template v-else>no year before to compare with</template></dd>
      </div>
    </dl>
    <p v-else-if="isLoading && !desk" class="note px-7">Adding up the year…</p>
    <div v-if="session.isStaff" class="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-x-10 px-7 pt-5 pb-8">
      <section class="col-span-2 pb-5">
        <h2 class="pb-1">What needs doing now</h2>
        <p v-if="desk && desk.tasks.length === 0" class="note">Nothing: bills are in, the run is current, every unit of money has a payer.</p>
        <ul>
          <li v-for="task in desk?.tasks ?? []" :key="task.text" class="flex items-center justify-between gap-4 border-b border-rule py-[5px]">
            <span>{{ task.text }}</span>
            <span class="flex items-baseline gap-5"><b v-if="task.amount">{{ amount(task.amount) }}</b><RouterLink class="link" :to="linkTo(task.link)">See to it ›</RouterLink></span>
          </li>
        </ul>
      </section>
      <section>
        <div class="flex items-baseline justify-between pb-1">
          <h2>Who spends the most</h2>
          <span class="note flex gap-2">top <button v-for="n in [5, 10, 15]" :key="n" class="min-h-6 min-w-6" :class="n === most ? 'font-semibold text-ink' : 'hover:text-ink'" :aria-pressed="n === most" @click="most = n">{{ n }}</button></span>
        </div>
        <TopSpenders :month="month" :basis="basis" :most="most" />
      </section>
      <section>
        <h2 class="pb-1">Largest movements of the week</h2>
        <table v-if="moved" class="book">
          <thead><tr><th>{{ currency }}</th><th class="num">week before</th><th class="num">to {{ dayName(moved.to).slice(0, -5) }}</th><th class="num">change</th></tr></thead>
          <tbody>
            <tr v-for="movement in moved.movements.slice(0, most)" :key="movement.provider + movement.service">
              <td class="truncate">{{ movement.provider }} · {{ movement.service }}</td>
              <td class="num">{{ amount(movement.before) }}</td><td class="num">{{ amount(movement.after) }}</td>
              <td class="num font-semibold" :class="{ up: !movement.change.startsWith('-') }">{{ amount(movement.change, { signed: true }) }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="moved && moved.movements.length === 0" class="note">No complete week to compare yet.</p>
      </section>
    </div>
    <p v-else class="px-7 pt-4"><RouterLink class="link" :to="linkTo('/statements')">Your statements ›</RouterLink></p>
  </template>
</template>
