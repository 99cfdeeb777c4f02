<script setup lang="ts">
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, ref, shallowRef, watch } from 'vue'
import { fieldLabel } from '../../../core/charges/attributes.ts'
import { readFilter } from '../../../core/workings/keyFilter.ts'
import { readRef } from '../../../core/workings/workings.ts'
import type { ChargeGroup } from '../../../server/features/charges/groups.ts'
import { send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import PageHead from '../../components/PageHead.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, count, dayName, monthName } from '../../format.ts'
import { useSession } from '../../stores/session.ts'
import ChargeCard from './ChargeCard.vue'
import { readPage, type Line, type Step } from './lines.ts'

const session = useSession()
const { currency, route, go } = usePlace()
const figure = computed(() => String(route.query.of ?? ''))
const ref0 = computed(() => readRef(figure.value))
const figureName = computed(() => {
  const { kind, target, provider, service } = readFilter(ref0.value?.parts ?? []) ?? {}
  const place = kind === 'direct' ? `direct cost${target ? ` of ${target}` : ''}` : kind === 'pool' ? `pool ${target ?? ''}` : (kind ?? 'all charges')
  return [place, provider, service].filter(Boolean).join(' · ')
})
const path = computed<Step[]>(() => { try { return JSON.parse(String(route.query.path ?? '[]')) as Step[] } catch { return [] } })
const LEVELS = computed(() => ['ProviderName', 'SubAccountId', 'ServiceName', 'SkuId', 'ResourceId', 'RegionId', ...(session.state?.fields ?? [])])
const ORDER = ['ProviderName', 'SubAccountId', 'ServiceName', 'SkuId', 'ResourceId']
const by = computed(() => String(route.query.by ?? ORDER.find((field) => !path.value.some((step) => step.field === field)) ?? 'lines'))
const { data: grouped, error, again } = useAnswer(() => (figure.value ? { figure: figure.value, path: path.value, by: by.value === 'lines' ? 'ResourceId' : by.value } : null), (question, signal) => send<{ groups: ChargeGroup[]; total: string; lines: number }>('POST', '/api/charges/groups', question, signal))
const isLines = computed(() => by.value === 'lines')

/** A step on leads to the next field that still tells charges apart; the last one leads to the lines. */
function into(group: ChargeGroup): void {
  go({ path: JSON.stringify([...path.value, { field: by.value, value: group.value }]), by: undefined })
}
const back = (length: number): void => go({ path: length > 0 ? JSON.stringify(path.value.slice(0, length)) : undefined, by: undefined })

// lines: read page by page while scrolling
const lines = shallowRef<Line[]>([])
const next = ref<string | null>(null)
const isReading = ref(false)
const linesError = ref<Error | null>(null)
async function read(after: string | null): Promise<void> {
  isReading.value = true
  try {
    const page = await readPage(figure.value, path.value, after)
    lines.value = after ? [...lines.value, ...page.lines] : page.lines
    next.value = page.next
    linesError.value = null
  } catch (failure) {
    linesError.value = failure as Error
  } finally {
    isReading.value = false
  }
}
watch([isLines, grouped], () => { if (isLines.value && grouped.value) void read(null) }, { immediate: true })

const scroller = ref<HTMLElement | null>(null)
const rows = useVirtualizer(computed(() => ({ count: lines.value.length, getScrollElement: () => scroller.value, estimateSize: () => 30, overscan: 12 })))
watch(() => [rows.value.getVirtualItems().at(-1)?.index ?? 0, lines.value.length, isReading.value] as const, ([last, length, reading]) => {
  if (next.value && !reading && last >= length - 30 && isLines.value) void read(next.value)
})
/** the whole number is in the card of the line */
const partText = (percent: number): string => String(Number(percent.toFixed(2)))
const opened = ref<Line | null>(null)
const largest = computed(() => Math.max(1, ...(grouped.value?.groups.map((group) => Math.abs(Number(group.amount))) ?? [])))
</script>

<template>
  <div class="flex h-full flex-col">
    <PageHead title="Charge lines" :detail="ref0 ? `${figureName}, ${monthName(ref0.month)}, ${ref0.basis} cost` : ''" :below="grouped ? `${count(grouped.lines)} lines, ${amount(grouped.total)} ${currency}` : ''">
      <label class="note">by <select class="field" :value="by" @change="go({ by: ($event.target as HTMLSelectElement).value })"><option v-for="field in LEVELS" :key="field" :value="field">{{ fieldLabel(field) }}</option><option value="lines">single lines</option></select></label>
    </PageHead>
    <nav v-if="path.length" aria-label="The way here" class="flex flex-wrap items-center gap-2 px-7 pb-2">
      <button class="link" @click="back(0)">all</button>
      <template v-for="(step, index) in path" :key="index"><span class="note">›</span><button class="hover:underline" @click="back(index + 1)">{{ fieldLabel(step.field) }}: <b>{{ step.value ?? 'none' }}</b></button><button class="note" :aria-label="`Remove ${fieldLabel(step.field)}`" @click="go({ path: JSON.stringify(path.filter((_, at) => at !== index)), by: undefined })">×</button></template>
    </nav>
    <p v-if="!ref0" class="px-7">No figure is open here. Open one from a statement, then its charge lines.</p>
    <ErrorNote v-if="error" class="mx-7" :error="error" @again="again" />
    <div v-else-if="grouped && !isLines" class="overflow-auto px-7 pb-8">
      <table class="book">
        <thead><tr><th>{{ fieldLabel(by) }}</th><th aria-label="share of the largest" /><th class="num">lines</th><th class="num">{{ currency }}</th></tr></thead>
        <tbody><tr v-for="group in grouped.groups.slice(0, 1000)" :key="String(group.value)" class="cursor-pointer" @click="into(group)">
          <td><button class="hover:underline" @click.stop="into(group)">{{ group.value ?? 'none' }}</button></td>
          <td class="w-[30%]"><span class="block h-[9px] bg-[var(--rod)]" :style="{ width: `${(Math.abs(Number(group.amount)) / largest) * 100}%` }" /></td>
          <td class="num">{{ count(group.lines) }}</td><td class="num font-semibold">{{ amount(group.amount) }}</td>
        </tr></tbody>
        <tfoot><tr class="total"><td>In all</td><td /><td class="num">{{ count(grouped.lines) }}</td><td class="num">{{ amount(grouped.total) }}</td></tr></tfoot>
      </table>
    </div>
    <template v-else-if="isLines">
      <ErrorNote v-if="linesError" class="mx-7" :error="linesError" @again="read(null)" />
      <div ref="scroller" class="min-h-0 flex-1 overflow-auto px-7 pb-4">
        <div class="line head"><span>day</span><span>service</span><span>resource</span><span>SKU</span><span class="text-right">quantity</span><span class="text-right">billed</span><span class="text-right">effective</span><span>rule</span></div>
        <div class="relative" :style="{ height: `${rows.getTotalSize()}px` }">
          <button v-for="row in rows.getVirtualItems()" :key="row.index" class="line" :style="{ transform: `translateY(${row.start}px)`, position: 'absolute', top: 0 }" @click="opened = lines[row.index]!">
            <span>{{ dayName(lines[row.index]!.day) }}</span><span>{{ lines[row.index]!.service }}</span><span>{{ lines[row.index]!.resource }}</span><span>{{ lines[row.index]!.sku }}</span>
            <span class="text-right">{{ lines[row.index]!.quantity ? amount(String(Number(lines[row.index]!.quantity))) : '' }}</span>
            <span class="text-right">{{ amount(lines[row.index]!.billed.replace(/0{1,6}$/, '')) }}</span><span class="text-right">{{ amount(lines[row.index]!.effective.replace(/0{1,6}$/, '')) }} <span class="note">{{ lines[row.index]!.currency }}</span></span><span class="note">{{ lines[row.index]!.percent === null ? '' : `${partText(lines[row.index]!.percent!)} % of it, ` }}{{ lines[row.index]!.ruleName || 'no rule' }}</span>
          </button>
        </div>
        <p class="note pt-1">{{ isReading ? 'Reading on…' : next ? '' : `${count(lines.length)} lines` }}</p>
      </div>
    </template>
    <ChargeCard :line="opened" :figure="figure" @close="opened = null" />
  </div>
</template>

<style scoped>
.line { display: grid; grid-template-columns: 100px 120px minmax(130px, 1fr) 90px 90px 110px 140px minmax(110px, 0.8fr); gap: 12px; width: 100%; height: 30px; align-items: center; text-align: left; border-bottom: 1px solid var(--rule); }
.line > span { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.line:not(.head):hover { background: color-mix(in srgb, var(--wash) 45%, transparent); }
.head { position: sticky; top: 0; background: var(--page); border-bottom-color: var(--ink); color: var(--soft); font-size: 12.5px; z-index: 1; }
</style>
