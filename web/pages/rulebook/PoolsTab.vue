<script setup lang="ts">
import { computed, ref, toRaw } from 'vue'
import { baseLabel } from '../../../core/pools/distribute.ts'
import { addsUpToHundred, percentSum } from '../../../core/money/percents.ts'
import { formatAmount } from '../../../core/money/amount.ts'
import type { CostCentre, Pool } from '../../../core/types.ts'
import { get } from '../../api/client.ts'
import PlainDialog from '../../components/PlainDialog.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'

const draft = useDraft()
const session = useSession()
const { data: organisation } = useAnswer(() => 'organisation', (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
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
  if (pool.base.kind === 'fixed' && !addsUpToHundred(given.value)) return sum.value === null ? 'Write percentages as plain decimals.' : `The percentages add up to ${sum.value}, not to 100.`
  return ''
})
function keep(): void {
  const pool: Pool = { ...edited.value!, code: edited.value!.code.trim(), name: edited.value!.name.trim(), ...(edited.value!.base.kind === 'fixed' ? { base: { kind: 'fixed', percents: given.value }, recipients: [] } : {}) }
  const next = editedCode.value === null ? [...pools.value, pool] : pools.value.map((old) => (old.code === editedCode.value ? pool : old))
  const rules = draft.rulebook!.rules.map((rule) => (rule.outcome.kind === 'pool' && rule.outcome.code === editedCode.value ? { ...rule, outcome: { kind: 'pool' as const, code: pool.code } } : rule))
  draft.change({ ...draft.rulebook!, pools: next, rules })
  edited.value = null
}
const remove = (pool: Pool): void => draft.changePools(pools.value.filter(({ code }) => code !== pool.code), `Pool “${pool.name}” is deleted.`)
const flip = (code: string): void => {
  const { recipients } = edited.value!
  edited.value!.recipients = recipients.includes(code) ? recipients.filter((other) => other !== code) : [...recipients, code].sort()
}
const described = (pool: Pool): string => (pool.base.kind === 'fixed' ? Object.entries(pool.base.percents).map(([code, text]) => `${code} ${text} %`).join(', ') : pool.recipients.length ? `among ${pool.recipients.join(', ')}` : 'among all cost centres')
</script>

<template>
  <div class="px-7 pb-8">
    <div class="flex items-baseline justify-between pb-1"><p class="note">A rule sends shared cost to a pool; the pool is shared among cost centres after all direct cost is known.</p><button v-if="session.isKeeper" class="link" @click="edit(null)">Add a pool</button></div>
    <table v-if="pools.length" class="book">
      <thead><tr><th>pool</th><th>shared</th><th>among</th><th>filled by</th><th /></tr></thead>
      <tbody><tr v-for="pool in pools" :key="pool.code">
        <td><button class="font-semibold hover:underline" @click="edit(pool)">{{ pool.name }}</button> <span class="note">{{ pool.code }}</span></td><td>{{ baseLabel(pool) }}</td><td class="note max-w-80">{{ described(pool) }}</td>
        <td class="note"><template v-if="rulesOf(pool.code).length">{{ rulesOf(pool.code).join(', ') }}</template><span v-else class="text-warn">no rule</span></td>
        <td class="text-right"><button v-if="session.isKeeper" class="note hover:text-warn" @click="remove(pool)">Delete</button></td>
      </tr></tbody>
    </table>
    <p v-else>No pool yet. Shared cost, such as support plans or tax, goes to a pool before it goes to those who use it.</p>
    <PlainDialog :open="edited !== null" :title="editedCode ? 'A pool' : 'A new pool'" @close="edited = null">
      <form v-if="edited" @submit.prevent="!flaw && keep()">
        <fieldset :disabled="!session.isKeeper" class="flex flex-col gap-3">
          <div class="flex gap-4"><label>Code<input v-model="edited.code" class="field mt-1 block w-32" maxlength="32" /></label><label class="flex-1">Name<input v-model="edited.name" class="field mt-1 block w-full" maxlength="200" /></label></div>
          <label>Shared<select class="field mt-1 block" :value="edited.base.kind" @change="edited.base = ($event.target as HTMLSelectElement).value === 'fixed' ? { kind: 'fixed', percents } : { kind: ($event.target as HTMLSelectElement).value as 'even' | 'direct' }"><option value="direct">in proportion to direct cost</option><option value="even">evenly</option><option value="fixed">by fixed percentages</option></select></label>
          <div class="max-h-64 overflow-auto border-t border-rule">
            <label v-for="centre in centres" :key="centre.code" class="flex items-center justify-between border-b border-rule py-1"><span>{{ centre.code }} {{ centre.name }}</span>
              <input v-if="edited.base.kind === 'fixed'" v-model="percents[centre.code]" class="field w-24 text-right" inputmode="decimal" :aria-label="`Per cent for ${centre.code}`" />
              <input v-else type="checkbox" :checked="edited.recipients.length === 0 || edited.recipients.includes(centre.code)" @change="edited.recipients.length === 0 ? (edited.recipients = centres.map(({ code }) => code).filter((code) => code !== centre.code)) : flip(centre.code)" /></label>
          </div>
          <p v-if="edited.base.kind === 'fixed'" class="text-right">in all <b>{{ sum ?? '–' }}</b> %</p>
        </fieldset>
        <p v-if="flaw && session.isKeeper" class="note mt-2">{{ flaw }}</p>
        <div class="mt-4 flex justify-end gap-5"><button type="button" class="link" @click="edited = null">Leave it</button><button v-if="session.isKeeper" class="act" :disabled="flaw !== ''">Keep the pool</button></div>
      </form>
    </PlainDialog>
  </div>
</template>
