<script setup lang="ts">
import { computed } from 'vue'
import { Bar } from 'vue-chartjs'
import { addMonths } from '../../../core/calendar/month.ts'
import { writeRef } from '../../../core/workings/workings.ts'
import type { StatementView } from '../../../server/features/statements/view.ts'
import { fileAddress, get } from '../../api/client.ts'
import { monthColumns } from '../../charts.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import FigureButton from '../../components/FigureButton.vue'
import PageHead from '../../components/PageHead.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, isZero, monthName, percent } from '../../format.ts'
import { useSession } from '../../stores/session.ts'

const session = useSession()
const { route, month, basis, linkTo } = usePlace()
const scope = computed(() => String(route.params.scope))
const question = computed(() => ({ scope: scope.value, month: month.value, basis: basis.value }))
const { data: statement, error, again } = useAnswer(() => ({ ...question.value, changes: session.changes }), (_asked, signal) => get<StatementView>('/api/statement', question.value, signal))
const chart = computed(() => (statement.value ? monthColumns(statement.value.history) : null))
type Kind = 'statement' | 'line' | 'rates'
const refOf = (kind: Kind, ...parts: string[]): string => writeRef({ kind, month: month.value, basis: basis.value, parts: [scope.value, ...parts] })
const beforeOf = (kind: Kind, ...parts: string[]): string | null => (statement.value?.hasPrevious ? writeRef({ kind, month: addMonths(month.value, -1), basis: basis.value, parts: [scope.value, ...parts] }) : null)
const changeOf = (kind: Kind, ...parts: string[]): string | null => (statement.value?.hasPrevious ? writeRef({ kind: 'change', month: month.value, basis: basis.value, parts: [kind, scope.value, ...parts] }) : null)
const shareText = (share: string): string => `${amount(Number(share).toFixed(2))} %`
</script>

<template>
  <ErrorNote v-if="error" class="m-7" :error="error" @again="again" />
  <article v-else-if="statement">
    <PageHead :title="`${statement.scope.code} ${statement.scope.name}`" :detail="statement.scope.kind === 'cc' ? statement.scope.unitName : 'business unit'" :below="`Statement for ${monthName(month)} · run ${statement.runId} under rulebook ${statement.version} · ${basis} cost${statement.scope.owner ? ' · for ' + statement.scope.owner : ''}`">
      <RouterLink class="link" :to="linkTo('/statements')">All statements</RouterLink>
      <a class="link" :href="fileAddress('/api/statement.csv', question)" download>CSV</a>
      <a class="act" :href="fileAddress('/api/statement.pdf', question)" download>PDF</a>
    </PageHead>
    <p v-if="!statement.isCurrent" class="mx-7 mb-2 border-l-2 border-warn pl-3 text-warn">Bills, rates, cost centres or the rulebook have changed since this run. <RouterLink v-if="session.isStaff" class="underline" :to="linkTo('/allocation')">Run it again</RouterLink></p>
    <div class="grid grid-cols-[minmax(0,1fr)_260px] gap-6 px-7 pb-8 max-[1180px]:grid-cols-1">
      <table class="book self-start">
        <thead><tr><th>{{ statement.currency }}</th><th class="num">{{ monthName(month) }}</th><th class="num">{{ statement.hasPrevious ? monthName(statement.previousMonth) : 'no month before' }}</th><th class="num">change</th><th class="num" aria-label="change in percent" /></tr></thead>
        <tbody v-for="group in statement.groups" :key="group.kind">
          <tr class="group">
            <td>{{ group.title }}</td>
            <td class="num"><FigureButton :value="group.figures.amount" :figure="refOf('statement', group.kind)" /></td>
            <td class="num"><FigureButton :value="group.figures.previous" :figure="beforeOf('statement', group.kind)" /></td>
            <td class="num" :class="{ up: !group.figures.change.startsWith('-') }"><FigureButton :value="group.figures.change" signed :figure="changeOf('statement', group.kind)" /></td>
            <td class="num" :class="{ up: !group.figures.change.startsWith('-') }">{{ percent(group.figures.percent) }}</td>
          </tr>
          <tr v-for="line in group.lines" :key="line.provider + line.line">
            <td class="pl-4!"><span class="block">{{ line.label }}</span><span v-if="line.share !== null && !isZero(line.share)" class="note block text-[12px]!">{{ shareText(line.share) }} of {{ amount(line.poolAmount) }}, {{ line.base }}</span></td>
            <td class="num"><FigureButton :value="line.amount" :figure="refOf('line', group.kind, line.provider, line.line)" /></td>
            <td class="num"><FigureButton :value="line.previous" :figure="beforeOf('line', group.kind, line.provider, line.line)" /></td>
            <td class="num" :class="{ up: !line.change.startsWith('-') && line.change !== '0.00' }"><FigureButton :value="line.change" signed :figure="changeOf('line', group.kind, line.provider, line.line)" /></td>
            <td class="num" :class="{ up: !line.change.startsWith('-') && line.change !== '0.00' }">{{ percent(line.percent) }}</td>
          </tr>
        </tbody>
        <tfoot><tr class="total">
          <td>Charged to {{ statement.scope.code }}</td>
          <td class="num"><FigureButton :value="statement.total.amount" :figure="refOf('statement')" /></td>
          <td class="num"><FigureButton :value="statement.total.previous" :figure="beforeOf('statement')" /></td><td class="num"><FigureButton :value="statement.total.change" signed :figure="changeOf('statement')" /></td><td class="num">{{ percent(statement.total.percent) }}</td>
        </tr>
        <tr v-if="statement.currencyEffect !== null" data-currency-effect><td class="pl-4!">of the change, by exchange rates alone</td><td /><td /><td class="num"><FigureButton :value="statement.currencyEffect" signed :figure="refOf('rates')" /></td><td /></tr>
        <template v-if="statement.withMarkUp !== null">
          <tr v-for="fee in statement.markUps" :key="fee.id" data-mark-up><td class="pl-4!"><span class="block">{{ fee.name }}</span><span class="note block text-[12px]!">mark-up, {{ fee.note }}; account {{ fee.recoveryAccount }}</span></td><td class="num">{{ amount(fee.amount) }}</td><td colspan="3" /></tr>
          <tr class="total" data-with-mark-up><td>With mark-up</td><td class="num">{{ amount(statement.withMarkUp) }}</td><td colspan="3" /></tr>
        </template></tfoot>
      </table>
      <aside class="self-start">
        <p class="note pb-1">Twelve months, {{ statement.currency }}</p>
        <div class="h-44"><Bar v-if="chart" :data="chart.data" :options="chart.options" :aria-label="`Charged in the twelve months to ${monthName(month)}`" role="img" /></div>
        <p v-if="statement.groups.length === 0" class="note mt-3">Nothing was charged to {{ statement.scope.code }} in {{ monthName(month) }}.</p>
      </aside>
    </div>
  </article>
  <p v-else class="note p-7">Setting the statement…</p>
</template>
