<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import Sortable from 'sortablejs'
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue'
import type { CostCentre, Rule, Rulebook } from '../../../core/types.ts'
import type { RuleFigures } from '../../../server/features/rulebook/figures.ts'
import { get, send } from '../../api/client.ts'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, count, isZero, monthName } from '../../format.ts'
import { newId, useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'
import RuleEditor from './RuleEditor.vue'
import { conditionText } from './words.ts'

const draft = useDraft()
const session = useSession()
const { route, month, go } = usePlace()
const rules = computed(() => draft.rulebook?.rules ?? [])
const { data: organisation } = useAnswer(() => 'organisation', (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))

// the figures follow the edits, a moment behind
const asked = ref<Rulebook | null>(draft.rulebook)
const ask = useDebounceFn(() => { asked.value = draft.rulebook }, 120)
watch(() => draft.rulebook, ask)
const { data: figures, error: figuresError } = useAnswer(() => (asked.value ? { month: month.value, rulebook: asked.value } : null), (question, signal) => send<RuleFigures>('POST', '/api/rulebook/figures', question, signal))

const targetName = ({ outcome: { kind, code } }: Rule): string => (kind === 'pool' ? `pool ${draft.rulebook?.pools.find((pool) => pool.code === code)?.name ?? code}` : `${code} ${organisation.value?.centres.find((centre) => centre.code === code)?.name ?? ''}`)
const flawOf = ({ id }: Rule): string => draft.problems.find(({ subject }) => subject === id)?.message ?? ''
const validity = ({ from, to }: Rule): string => (from && to ? `${from} to ${to}` : from ? `from ${from}` : to ? `to ${to}` : '')

const edited = computed(() => rules.value.find(({ id }) => id === route.query.rule) ?? null)
const isNew = computed(() => route.query.rule === 'new')
const blank = (): Rule => ({ id: newId(), name: '', enabled: true, conditions: [{ field: 'SubAccountId', operator: 'is', values: [] }], outcome: { kind: 'costCentre', code: '' }, from: null, to: null })

function keep(rule: Rule): void {
  const at = rules.value.findIndex(({ id }) => id === rule.id)
  draft.changeRules(at < 0 ? [...rules.value, rule] : rules.value.map((old) => (old.id === rule.id ? rule : old)), at < 0 ? `Rule “${rule.name}” is added at the end.` : '')
  go({ rule: undefined })
}
const copy = (rule: Rule, index: number): void => draft.changeRules([...rules.value.slice(0, index + 1), { ...structuredClone(rule), id: newId(), name: `${rule.name}, copy` }, ...rules.value.slice(index + 1)], `“${rule.name}” is copied.`)
const remove = (rule: Rule): void => draft.changeRules(rules.value.filter(({ id }) => id !== rule.id), `Rule “${rule.name}” is deleted.`)
const flip = (rule: Rule): void => draft.changeRules(rules.value.map((old) => (old.id === rule.id ? { ...rule, enabled: !rule.enabled } : old)))
function move(from: number, to: number): void {
  if (to < 0 || to >= rules.value.length || from === to) return
  const next = [...rules.value]
  next.splice(to, 0, ...next.splice(from, 1))
  draft.changeRules(next)
}
async function moveByKey(index: number, by: number): Promise<void> {
  move(index, index + by)
  await nextTick()
  document.querySelector<HTMLElement>(`[data-rule-index="${index + by}"] .grip`)?.focus()
}

const body = ref<HTMLElement | null>(null)
let sortable: Sortable | null = null
watch(body, (element) => {
  sortable?.destroy()
  if (!element || !session.isKeeper) return
  sortable = Sortable.create(element, {
    handle: '.grip', animation: 0,
    onEnd: ({ oldIndex, newIndex, item, from }) => {
      if (oldIndex === undefined || newIndex === undefined) return
      // the list is Vue's: put the row back where it was and let the data move it
      from.insertBefore(item, from.children[oldIndex + (oldIndex > newIndex ? 1 : 0)] ?? null)
      move(oldIndex, newIndex)
    },
  })
})
onBeforeUnmount(() => sortable?.destroy())
</script>

<template>
  <div class="px-7 pb-8">
    <p v-if="figuresError" class="mb-2 text-warn" role="alert">{{ figuresError.message }}</p>
    <div class="flex items-baseline justify-between pb-1"><p class="note">Money of {{ monthName(month) }}, {{ draft.rulebook?.chargedBasis }} cost in {{ session.state?.currency }}.</p><button v-if="session.isKeeper" class="link" @click="go({ rule: 'new' })">Add a rule</button></div>
    <table v-if="rules.length" class="book">
      <thead><tr><th class="w-8" /><th class="w-8" /><th>rule</th><th>sends to</th><th class="num">takes</th><th class="num">charges</th><th class="num">if it stood first</th><th class="w-44" /></tr></thead>
      <tbody ref="body">
        <tr v-for="(rule, index) in rules" :key="rule.id" class="[content-visibility:auto]" :class="{ 'opacity-55': !rule.enabled }" :data-rule-index="index" :data-rule-name="rule.name">
          <td><button v-if="session.isKeeper" class="grip cursor-grab px-1 text-soft" :aria-label="`Move rule ${index + 1}, ${rule.name}; arrow keys move it`" @keydown.up.prevent="moveByKey(index, -1)" @keydown.down.prevent="moveByKey(index, 1)">⠿</button></td>
          <td class="note">{{ index + 1 }}</td>
          <td class="py-1!">
            <button class="font-semibold hover:underline" @click="go({ rule: rule.id })">{{ rule.name }}</button>
            <span v-if="!rule.enabled" class="note"> off</span><span v-if="validity(rule)" class="note"> {{ validity(rule) }}</span>
            <span class="note block text-[12.5px]!">{{ rule.conditions.map(conditionText).join(' and ') || 'no condition' }}</span>
            <span v-if="flawOf(rule)" class="block text-[12.5px] text-warn">{{ flawOf(rule) }}</span>
          </td>
          <td>{{ targetName(rule) }}</td>
          <template v-if="figures?.rules[index] && figures.rules.length === rules.length">
            <td class="num font-semibold" data-takes>{{ amount(figures.rules[index]!.takes.amount) }}</td>
            <td class="num">{{ count(figures.rules[index]!.takes.lines) }}<span v-if="rule.enabled && figures.rules[index]!.takes.lines === 0" class="ml-2 text-warn">takes nothing</span></td>
            <td class="num note">{{ figures.rules[index]!.wouldTake ? amount(figures.rules[index]!.wouldTake!.amount) : '' }}</td>
          </template>
          <template v-else><td class="num note">…</td><td /><td /></template>
          <td class="text-right whitespace-nowrap"><span v-if="session.isKeeper" class="inline-flex gap-3 text-[13px]"><button class="note hover:text-ink" @click="flip(rule)">{{ rule.enabled ? 'Off' : 'On' }}</button><button class="note hover:text-ink" @click="copy(rule, index)">Copy</button><button class="note hover:text-warn" :aria-label="`Delete ${rule.name}`" @click="remove(rule)">Delete</button></span></td>
        </tr>
      </tbody>
      <tfoot v-if="figures"><tr class="total"><td /><td /><td>Unassigned</td><td /><td class="num" :class="{ 'text-warn': !isZero(figures.unassigned.amount) }" data-unassigned>{{ amount(figures.unassigned.amount) }}</td><td class="num">{{ count(figures.unassigned.lines) }}</td><td /><td class="text-right"><button class="link" @click="go({ tab: 'unassigned' })">See it ›</button></td></tr></tfoot>
    </table>
    <p v-else>No rule yet, so nobody is charged. <button v-if="session.isKeeper" class="link" @click="go({ rule: 'new' })">Add the first rule</button> or begin from the <button class="link" @click="go({ tab: 'unassigned' })">unassigned money</button>.</p>
    <RuleEditor v-if="edited || isNew" :key="String(route.query.rule)" :rule="edited ?? blank()" :centres="organisation?.centres ?? []" :readonly="!session.isKeeper" @keep="keep" @close="go({ rule: undefined })" />
  </div>
</template>
