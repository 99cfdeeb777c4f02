<script setup lang="ts">
import { computed } from 'vue'
import { addMonths } from '../../../core/calendar/month.ts'
import { writeRef } from '../../../core/workings/workings.ts'
import { get } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import FigureButton from '../../components/FigureButton.vue'
import PageHead from '../../components/PageHead.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, monthName } from '../../format.ts'
import { useSession } from '../../stores/session.ts'
import { addDecimals } from '../../decimals.ts'

interface Line { code: string; name: string; unit: string; owner: string; direct: string; pools: string; total: string; previous: string; change: string }
interface Answer { runId: number | null; currency: string; units: { code: string; name: string }[]; centres: Line[] }
const session = useSession()
const { month, basis, linkTo } = usePlace()
const { data, error, isLoading, again } = useAnswer(() => ({ month: month.value, basis: basis.value, changes: session.changes }), (_question, signal) => get<Answer>('/api/statements', { month: month.value, basis: basis.value }, signal))
const units = computed(() => (data.value?.units ?? []).map((unit) => {
  const lines = data.value!.centres.filter((centre) => centre.unit === unit.code)
  const sum = (name: 'direct' | 'pools' | 'total' | 'previous' | 'change'): string => addDecimals(lines.map((line) => line[name]))
  return { ...unit, lines, direct: sum('direct'), pools: sum('pools'), total: sum('total'), previous: sum('previous'), change: sum('change') }
}))
const whole = computed(() => {
  const sum = (name: 'direct' | 'pools' | 'total' | 'previous' | 'change'): string => addDecimals(units.value.map((unit) => unit[name]))
  return { direct: sum('direct'), pools: sum('pools'), total: sum('total'), previous: sum('previous'), change: sum('change') }
})
const refOf = (scope: string, group?: 'direct' | 'pool'): string => writeRef({ kind: 'statement', month: month.value, basis: basis.value, parts: group ? [scope, group] : [scope] })
const beforeOf = (scope: string): string => writeRef({ kind: 'statement', month: addMonths(month.value, -1), basis: basis.value, parts: [scope] })
const changeOf = (scope: string): string => writeRef({ kind: 'change', month: month.value, basis: basis.value, parts: ['statement', scope] })
/** An owner may see a unit only where all of its cost centres are the own ones; then its figures would not open. */
const unitScope = (code: string): string | null => (session.isStaff ? `unit:${code}` : null)
</script>

<template>
  <PageHead title="Statements" :detail="monthName(month)" :below="data?.runId ? `From run ${data.runId}, ${basis} cost. Click a figure for its workings, a name for its statement.` : ''" />
  <div class="px-7 pb-8">
    <ErrorNote v-if="error" :error="error" @again="again" />
    <p v-else-if="!data && isLoading" class="note">Setting the page…</p>
    <p v-else-if="data && !data.runId">{{ monthName(month) }} has not been allocated yet. <RouterLink v-if="session.isStaff" class="link" :to="linkTo('/allocation')">Run the allocation ›</RouterLink></p>
    <table v-else-if="data" class="book">
      <thead><tr><th>{{ data.currency }}</th><th>owner</th><th class="num">direct cost</th><th class="num">shares of pools</th><th class="num">charged</th><th class="num">month before</th><th class="num">change</th></tr></thead>
      <tbody v-for="unit in units" :key="unit.code">
        <tr class="group"><td><RouterLink :to="linkTo(`/statements/unit:${unit.code}`)" class="hover:underline">{{ unit.code }} {{ unit.name }}</RouterLink></td><td /><template v-for="scope in [unitScope(unit.code)]" :key="String(scope)"><td class="num"><FigureButton :value="unit.direct" :figure="scope && refOf(scope, 'direct')" /></td><td class="num"><FigureButton :value="unit.pools" :figure="scope && refOf(scope, 'pool')" /></td><td class="num"><FigureButton :value="unit.total" :figure="scope && refOf(scope)" /></td><td class="num"><FigureButton :value="unit.previous" :figure="scope && beforeOf(scope)" /></td><td class="num" :class="{ up: !unit.change.startsWith('-') }"><FigureButton :value="unit.change" signed :figure="scope && changeOf(scope)" /></td></template></tr>
        <tr v-for="line in unit.lines" :key="line.code">
          <td class="pl-4!"><RouterLink :to="linkTo(`/statements/cc:${line.code}`)" class="hover:underline">{{ line.code }} {{ line.name }}</RouterLink></td>
          <td class="note">{{ line.owner }}</td>
          <td class="num"><FigureButton :value="line.direct" :figure="refOf(`cc:${line.code}`, 'direct')" /></td>
          <td class="num"><FigureButton :value="line.pools" :figure="refOf(`cc:${line.code}`, 'pool')" /></td>
          <td class="num font-semibold"><FigureButton :value="line.total" :figure="refOf(`cc:${line.code}`)" /></td>
          <td class="num"><FigureButton :value="line.previous" :figure="beforeOf(`cc:${line.code}`)" /></td>
          <td class="num" :class="{ up: !line.change.startsWith('-') }"><FigureButton :value="line.change" signed :figure="changeOf(`cc:${line.code}`)" /></td>
        </tr>
      </tbody>
      <tfoot><tr class="total"><td colspan="2">Charged to all</td><td class="num">{{ amount(whole.direct) }}</td><td class="num">{{ amount(whole.pools) }}</td><td class="num" data-charged-to-all><FigureButton :value="whole.total" :figure="writeRef({ kind: 'charged', month, basis, parts: [] })" /></td><td class="num">{{ amount(whole.previous) }}</td><td class="num">{{ amount(whole.change, { signed: true }) }}</td></tr></tfoot>
    </table>
  </div>
</template>
