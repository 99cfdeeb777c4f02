<script setup lang="ts">
import { computed, ref, toRaw } from 'vue'
import { baseLabel, poolTarget } from '../../../core/pools/distribute.ts'
import { addsUpToHundred, percentSum } from '../../../core/money/percents.ts'
import { formatAmount } from '../../../core/money/amount.ts'
import type { CostCentre, Pool, PoolMethod, SimpleBase } from '../../../core/types.ts'
import type { Driver } from '../../../server/features/drivers/store.ts'
import type { MethodEffect } from '../../../server/features/rulebook/effect.ts'
import { get } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import PlainDialog from '../../components/PlainDialog.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { useDraftAnswer } from '../../composables/useDraftAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, monthName } from '../../format.ts'
import { useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'
import PoolDrawing from './PoolDrawing.vue'
import { keepGrip, moved } from './reorder.ts'
import { centreName } from './words.ts'

const draft = useDraft()
const session = useSession()
const { data: organisation } = useAnswer(() => 'organisation', (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
const { month, linkTo } = usePlace()
const { data: known } = useAnswer(() => month.value, (asked, signal) => get<{ drivers: Driver[]; measured: Driver[] }>('/api/drivers', { month: asked }, signal))
const driversFrom = computed(() => Object.fromEntries(Object.entries({ 'Entered by the month': known.value?.drivers ?? [], 'Measured': known.value?.measured ?? [] }).filter(([, some]) => some.length > 0)))
const isMeasured = (code: string): boolean => known.value?.measured.some((one) => one.code === code) ?? false
const drivers = computed(() => [...(known.value?.drivers ?? []), ...(known.value?.measured ?? [])])
const centres = computed(() => organisation.value?.centres ?? [])
const edited = ref<Pool | null>(null)
const editedCode = ref<string | null>(null)
const percents = ref<Record<string, string>>({})
const pools = computed(() => draft.rulebook?.pools ?? [])
const rulesOf = (code: string): string[] => (draft.rulebook?.rules ?? []).filter(({ outcome }) => outcome.kind === 'pool' && outcome.code === code).map(({ name }) => name)

function edit(pool: Pool | null): void {
  editedCode.value = pool?.code ?? null
  edited.value = pool ? structuredClone(toRaw(pool)) : { code: '', name: '', base: { kind: 'direct' }, recipients: [] }
  percents.value = pool?.base.kind === 'fixed' ? { ...pool.base.percents } : {}
}
const given = computed(() => Object.fromEntries(Object.entries(percents.value).filter(([, text]) => text.trim() !== '')))
const sum = computed(() => { const total = percentSum(given.value); return total === null ? null : formatAmount(total) })
const flaw = computed(() => {
  const { value: pool } = edited
  if (!pool) return ''
  if (!pool.code.trim() || !pool.name.trim()) return 'Give the pool a code and a name.'
  if (pools.value.some(({ code }) => code === pool.code.trim() && code !== editedCode.value)) return `There is a pool ${pool.code} already.`
  if (pool.base.kind === 'mix' && !addsUpToHundred(Object.fromEntries(pool.base.parts.map(({ percent }, index) => [index, percent])))) return 'The parts must add up to 100 per cent.'
  if (pool.base.kind === 'driver' && !pool.base.driver) return 'Choose the driver that it is shared by; drivers are kept in Intake.'
  if (pool.base.kind === 'fixed' && !addsUpToHundred(given.value)) return sum.value === null ? 'Write percentages as plain decimals.' : `The percentages add up to ${sum.value}, not to 100.`
  return ''
})
/** Another pool, with the new code of the one that is edited wherever it names it. */
function renamed(other: Pool, code: string): Pool {
  const old = editedCode.value
  if (old === null || old === code) return other
  return {
    ...other, ...(other.serves ? { serves: other.serves.map((one) => (one === old ? code : one)) } : {}),
    base: other.base.kind === 'fixed' ? { ...other.base, percents: Object.fromEntries(Object.entries(other.base.percents).map(([target, text]) => [target === poolTarget(old) ? poolTarget(code) : target, text])) } : other.base,
  }
}
function keep(): void {
  const pool: Pool = { ...edited.value!, code: edited.value!.code.trim(), name: edited.value!.name.trim(), ...(edited.value!.base.kind === 'fixed' ? { base: { kind: 'fixed', percents: given.value }, recipients: [] } : {}) }
  const next = editedCode.value === null ? [...pools.value, pool] : pools.value.map((old) => (old.code === editedCode.value ? pool : old))
  const rules = draft.rulebook!.rules.map((rule) => (rule.outcome.kind === 'pool' && rule.outcome.code === editedCode.value ? { ...rule, outcome: { kind: 'pool' as const, code: pool.code } } : rule))
  draft.change({ ...draft.rulebook!, pools: next.map((other) => (other === pool ? other : renamed(other, pool.code))), rules })
  edited.value = null
}
const remove = (pool: Pool): void => draft.changePools(pools.value.filter(({ code }) => code !== pool.code), `Pool “${pool.name}” is deleted.`)
const flip = (code: string): void => {
  const { recipients } = edited.value!
  edited.value!.recipients = recipients.includes(code) ? recipients.filter((other) => other !== code) : [...recipients, code].sort()
}
const others = computed(() => pools.value.filter(({ code }) => code !== editedCode.value && code !== edited.value?.code))
const serveFlip = (code: string): void => { const now = edited.value!.serves ?? []; edited.value!.serves = now.includes(code) ? now.filter((other) => other !== code) : [...now, code].sort() }
function chooseBase(kind: string): void {
  const first: SimpleBase = drivers.value[0] ? { kind: 'driver', driver: drivers.value[0].code } : { kind: 'direct' }
  edited.value!.base = kind === 'mix' ? { kind, parts: [{ percent: '60', base: first }, { percent: '40', base: { kind: 'even' } }] } : kind === 'fixed' ? { kind, percents: percents.value } : kind === 'driver' ? { kind, driver: drivers.value[0]?.code ?? '' } : { kind: kind as 'even' | 'direct' }
}
/** Step-down goes in the order of the list. */
function move(index: number, by: number): void {
  const next = moved(pools.value, index, index + by)
  if (next) draft.changePools(next)
  void keepGrip(`[data-pool-index="${index + by}"]`)
}
/** A pool before or behind the next one of those that serve each other, as the drawing shows them. */
function moveServing(code: string, by: number): void {
  const serving = new Set((effect.value?.network ?? []).flatMap(({ pool, to }) => [pool, to]))
  const order = pools.value.filter((pool) => serving.has(pool.code))
  const other = order[order.findIndex((pool) => pool.code === code) + by]
  if (!other) return
  const [from, to] = [code, other.code].map((one) => pools.value.findIndex((pool) => pool.code === one))
  const next = [...pools.value]
  ;[next[from!], next[to!]] = [next[to!]!, next[from!]!]
  draft.changePools(next)
}
const METHODS: Record<PoolMethod, string> = { direct: 'direct: pools give only to cost centres', stepDown: 'step-down: in the order of the list, each to those after it', reciprocal: 'reciprocal: to all they serve at once' }
const { data: effect, error: effectError, again: effectAgain } = useDraftAnswer<MethodEffect>('/api/rulebook/methods')
const differing = computed(() => (effect.value?.centres ?? []).filter(({ amounts }) => new Set(amounts).size > 1))
const openPool = (code: string): void => { const pool = pools.value.find((one) => one.code === code); if (pool) edit(pool) }
const simpleOf = (text: string): SimpleBase => (text.startsWith('driver:') ? { kind: 'driver', driver: text.slice('driver:'.length) } : { kind: text as 'even' | 'direct' })
const simpleText = (base: SimpleBase): string => (base.kind === 'driver' ? `driver:${base.driver}` : base.kind)
const described = (pool: Pool): string => (pool.base.kind === 'driver' ? 'those with a quantity in the month' : pool.base.kind === 'fixed' ? Object.entries(pool.base.percents).map(([code, text]) => `${code} ${text} %`).join(', ') : pool.recipients.length ? `among ${pool.recipients.join(', ')}` : 'among all cost centres')
</script>

<template>
  <div class="px-7 pb-8">
    <div class="flex items-baseline justify-between pb-1"><p class="note">A rule sends shared cost to a pool; the pool is shared among cost centres after all direct cost is known.</p><button v-if="session.isKeeper" class="link" @click="edit(null)">Add a pool</button></div>
    <table v-if="pools.length" class="book">
      <thead><tr><th class="w-8" /><th>pool</th><th>shared</th><th>among</th><th>filled by</th><th /></tr></thead>
      <tbody><tr v-for="(pool, index) in pools" :key="pool.code" :data-pool-index="index" :data-pool="pool.code">
        <td><button v-if="session.isKeeper" class="grip px-1 text-soft" :aria-label="`Move pool ${index + 1}, ${pool.name}; arrow keys move it`" @keydown.up.prevent="move(index, -1)" @keydown.down.prevent="move(index, 1)">⠿</button></td>
        <td><button class="font-semibold hover:underline" @click="edit(pool)">{{ pool.name }}</button> <span class="note">{{ pool.code }}</span></td><td>{{ baseLabel(pool) }}</td><td class="note max-w-80">{{ described(pool) }}<template v-if="pool.serves?.length">; serves pool {{ pool.serves.join(', ') }}</template></td>
        <td class="note"><template v-if="rulesOf(pool.code).length">{{ rulesOf(pool.code).join(', ') }}</template><span v-else class="text-warn">no rule</span></td>
        <td class="text-right"><button v-if="session.isKeeper" class="note hover:text-warn" @click="remove(pool)">Delete</button></td>
      </tr></tbody>
    </table>
    <section v-if="pools.length" class="mt-6" aria-label="Pools that serve each other">
      <h2>Pools that serve each other</h2>
      <p class="flex items-baseline gap-4 py-1"><label>Shared <select class="field" data-pool-method :disabled="!session.isKeeper" :value="draft.rulebook?.poolMethod" @change="draft.change({ ...draft.rulebook!, poolMethod: ($event.target as HTMLSelectElement).value as PoolMethod })"><option v-for="(label, method) in METHODS" :key="method" :value="method">{{ label }}</option></select></label></p>
      <ErrorNote v-if="effectError" :error="effectError" @again="effectAgain" />
      <template v-else-if="effect">
        <p v-for="problem in effect.problems" :key="problem" class="my-1 border-l-2 border-warn pl-3">{{ problem }}</p>
        <p v-if="effect.network.length === 0" class="note">No pool gives to another, so every method gives the same.</p>
        <template v-else>
          <PoolDrawing :pools="pools" :network="effect.network" :step-down="draft.rulebook?.poolMethod === 'stepDown'" :movable="session.isKeeper" @open="openPool" @move="moveServing" />
          <h2 class="mt-4">What each method charges in {{ monthName(month) }}</h2>
          <table v-if="differing.length" class="book" data-methods><thead><tr><th>cost centre</th><th v-for="method in effect.methods" :key="method" class="num" :class="{ 'font-semibold text-ink!': method === draft.rulebook?.poolMethod }">{{ { direct: 'direct', stepDown: 'step-down', reciprocal: 'reciprocal' }[method] }}</th></tr></thead>
            <tbody><tr v-for="centre in differing" :key="centre.code" :data-method-centre="centre.code"><td>{{ centre.code === 'held' ? 'Held or set aside' : centreName(centre.code, centres) }}</td><td v-for="(text, index) in centre.amounts" :key="index" class="num" :class="{ 'font-semibold': effect.methods[index] === draft.rulebook?.poolMethod }">{{ amount(text) }}</td></tr></tbody></table>
          <p v-else class="note">No cost centre is charged differently by any of them.</p>
        </template>
      </template>
    </section>
    <p v-else>No pool yet. Shared cost, such as support plans or tax, goes to a pool before it goes to those who use it.</p>
    <PlainDialog :open="edited !== null" :title="editedCode ? 'A pool' : 'A new pool'" @close="edited = null">
      <form v-if="edited" @submit.prevent="!flaw && keep()">
        <fieldset :disabled="!session.isKeeper" class="flex flex-col gap-3">
          <div class="flex gap-4"><label>Code<input v-model="edited.code" class="field mt-1 block w-32" maxlength="32" /></label><label class="flex-1">Name<input v-model="edited.name" class="field mt-1 block w-full" maxlength="200" /></label></div>
          <div class="flex flex-wrap items-end gap-4"><label>Shared<select class="field mt-1 block" data-pool-base :value="edited.base.kind" @change="chooseBase(($event.target as HTMLSelectElement).value)"><option value="direct">in proportion to direct cost</option><option value="even">evenly</option><option value="fixed">by fixed percentages</option><option value="driver">in proportion to a driver</option><option value="mix">by a mix of bases, or a dual rate</option></select></label>
            <label v-if="edited.base.kind === 'driver'" class="basis-full">Driver<select v-model="edited.base.driver" class="field mt-1 block w-full" data-pool-driver><optgroup v-for="(some, from) in driversFrom" :key="from" :label="from"><option v-for="one in some" :key="one.code" :value="one.code">{{ one.name }}{{ one.unit ? `, ${one.unit}` : '' }}</option></optgroup></select></label></div>
          <div v-if="edited.base.kind === 'mix'">
            <p v-for="(part, index) in edited.base.parts" :key="index" class="mb-2 flex items-center gap-3"><input v-model="part.percent" class="field w-20 text-right" inputmode="decimal" :aria-label="`Per cent of part ${index + 1}`" /> % <select class="field flex-1" :aria-label="`Base of part ${index + 1}`" :value="simpleText(part.base)" @change="part.base = simpleOf(($event.target as HTMLSelectElement).value)"><option value="direct">in proportion to direct cost</option><option value="even">evenly</option><optgroup v-for="(some, from) in driversFrom" :key="from" :label="from"><option v-for="one in some" :key="one.code" :value="`driver:${one.code}`">by {{ one.name }}</option></optgroup></select><button type="button" class="note hover:text-warn" :aria-label="`Remove part ${index + 1}`" @click="edited.base.kind === 'mix' && edited.base.parts.splice(index, 1)">Remove</button></p>
            <p class="flex gap-5"><button type="button" class="link" @click="edited.base.kind === 'mix' && edited.base.parts.push({ percent: '', base: { kind: 'direct' } })">Add a part</button><span class="note">A dual rate: the fixed part by a driver of planned capacity, the variable part by one of actual use.</span></p>
          </div>
          <p v-if="edited.base.kind === 'driver' && isMeasured(edited.base.driver)" class="note">Counted anew in each run, from what was metered in its month; whoever took nothing shares nothing.</p>
          <p v-else-if="edited.base.kind === 'driver'" class="note">Cost centres and pools with a quantity in the month share it. Quantities are kept in <RouterLink class="link" :to="linkTo('/intake?tab=drivers')">Intake, Drivers</RouterLink>.</p>
          <div v-if="edited.base.kind !== 'driver'" class="max-h-64 overflow-auto border-t border-rule" tabindex="0" role="region" aria-label="Who shares it">
            <label v-for="centre in centres" :key="centre.code" class="flex items-center justify-between border-b border-rule py-1"><span>{{ centre.code }} {{ centre.name }}</span>
              <input v-if="edited.base.kind === 'fixed'" v-model="percents[centre.code]" class="field w-24 text-right" inputmode="decimal" :aria-label="`Per cent for ${centre.code}`" />
              <input v-else type="checkbox" :checked="edited.recipients.length === 0 || edited.recipients.includes(centre.code)" @change="edited.recipients.length === 0 ? (edited.recipients = centres.map(({ code }) => code).filter((code) => code !== centre.code)) : flip(centre.code)" /></label>
            <template v-if="edited.base.kind !== 'direct'"><label v-for="pool in others" :key="pool.code" class="flex items-center justify-between border-b border-rule py-1"><span>Pool {{ pool.name }}</span>
              <input v-if="edited.base.kind === 'fixed'" v-model="percents[`pool:${pool.code}`]" class="field w-24 text-right" inputmode="decimal" :aria-label="`Per cent for pool ${pool.code}`" />
              <input v-else type="checkbox" :checked="edited.serves?.includes(pool.code)" @change="serveFlip(pool.code)" /></label></template>
          </div>
          <p v-if="edited.base.kind === 'fixed'" class="text-right">in all <b>{{ sum ?? '–' }}</b> %</p>
        </fieldset>
        <p v-if="flaw && session.isKeeper" class="note mt-2">{{ flaw }}</p>
        <div class="mt-4 flex justify-end gap-5"><button type="button" class="link" @click="edited = null">Leave it</button><button v-if="session.isKeeper" class="act" :disabled="flaw !== ''">Keep the pool</button></div>
      </form>
    </PlainDialog>
  </div>
</template>
