<script setup lang="ts">
import Sortable from 'sortablejs'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { senderName } from '../../../core/classify/settled.ts'
import type { CostCentre, Rule } from '../../../core/types.ts'
import type { RuleFigures } from '../../../server/features/rulebook/figures.ts'
import type { Ailment, Health } from '../../../server/features/rulebook/health.ts'
import { get } from '../../api/client.ts'
import { useAnswer } from '../../composables/useAnswer.ts'
import { useDraftAnswer } from '../../composables/useDraftAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, count, isZero, monthName } from '../../format.ts'
import { newId, useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'
import ClassChooser from './ClassChooser.vue'
import { keepGrip, moved } from './reorder.ts'
import RuleEditor from './RuleEditor.vue'
import SplitDialog from './SplitDialog.vue'
import { conditionText, monthsText, outcomeText } from './words.ts'

const draft = useDraft()
const session = useSession()
const { currency, route, month, go } = usePlace()
const classification = computed({ get: () => (draft.rulebook?.classifications.some(({ code }) => code === route.query.class) ? String(route.query.class) : ''), set: (code) => go({ class: code || undefined, rule: undefined }) })
const rules = computed(() => draft.rulesOf(classification.value))
const { data: organisation } = useAnswer(() => 'organisation', (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
const centres = computed(() => organisation.value?.centres ?? [])
const { data: figures, error: figuresError } = useDraftAnswer<RuleFigures>('/api/rulebook/figures', () => ({ classification: classification.value }))
const { data: health } = useDraftAnswer<Health>('/api/rulebook/health', () => ({ classification: classification.value }))
const ailmentsOf = (index: number): Ailment[] => (health.value?.ailments ?? []).filter((one) => one.rule === index && rules.value[index])
const overlaps = computed(() => [...(health.value?.overlaps ?? [])].filter(({ rule, by }) => rules.value[rule] && rules.value[by]).sort((a, b) => Math.abs(Number(b.money.amount)) - Math.abs(Number(a.money.amount))))

const flawOf = ({ id }: Rule): string => draft.problems.find(({ subject }) => subject === id)?.message ?? ''

const edited = computed(() => rules.value.find(({ id }) => id === route.query.rule) ?? null)
const isNew = computed(() => route.query.rule === 'new')
const blank = (): Rule => ({ id: newId(), name: '', enabled: true, conditions: [{ field: 'SubAccountId', operator: 'is', values: [] }], outcome: { kind: classification.value === '' ? 'costCentre' : 'value', code: '' }, from: null, to: null })

const change = (next: Rule[], said = ''): void => draft.changeRules(classification.value, next, said)
function keep(rule: Rule): void {
  const at = rules.value.findIndex(({ id }) => id === rule.id)
  change(at < 0 ? [...rules.value, rule] : rules.value.map((old) => (old.id === rule.id ? rule : old)), at < 0 ? `Rule “${rule.name}” is added at the end.` : '')
  go({ rule: undefined })
}
const copy = (rule: Rule, index: number): void => change([...rules.value.slice(0, index + 1), { ...structuredClone(rule), id: newId(), name: `${rule.name}, copy` }, ...rules.value.slice(index + 1)], `“${rule.name}” is copied.`)
const remove = (rule: Rule): void => change(rules.value.filter(({ id }) => id !== rule.id), `Rule “${rule.name}” is deleted.`)
const flip = (rule: Rule): void => change(rules.value.map((old) => (old.id === rule.id ? { ...rule, enabled: !rule.enabled } : old)))
function move(from: number, to: number, said = ''): void {
  const next = moved(rules.value, from, to)
  if (next) change(next, said)
}
/** What takes charges before a rule: an earlier one, or a setting, which no rule can stand before. */
const takerText = (by: number): string => (by >= 0 ? `rule ${by + 1} “${rules.value[by]?.name ?? ''}”` : (senderName(rules.value, by) ?? ''))
/** Lifts a rule out of the shadow of another. */
const lift = (index: number, behind: number): void => move(index, behind, `“${rules.value[index]!.name}” now stands before “${rules.value[behind]!.name}”.`)
function moveByKey(index: number, by: number): void {
  move(index, index + by)
  void keepGrip(`[data-rule-index="${index + by}"]`)
}

const isSplitting = ref(false)
/** So many rules are found by looking. */
const FEW = 30
const find = ref('')
const isAiling = ref(false)
const isShown = (rule: Rule, index: number): boolean => (!isAiling.value || ailmentsOf(index).length > 0) && (!find.value || `${rule.name} ${rule.conditions.map(conditionText).join(' ')}`.toLowerCase().includes(find.value.toLowerCase()))
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
    <div class="flex items-baseline justify-between gap-6 pb-1"><ClassChooser v-model="classification" edits /><span v-if="session.isKeeper" class="flex gap-5"><button v-if="classification === ''" class="link" @click="isSplitting = true">Split resources</button><button class="link" @click="go({ rule: 'new' })">Add a rule</button></span></div>
    <p class="flex items-baseline gap-4 pb-1"><span class="note flex-1">Money of {{ monthName(month) }}, {{ draft.rulebook?.chargedBasis }} cost in {{ currency }}.</span>
      <label class="note flex items-center gap-1"><input v-model="isAiling" type="checkbox" /> only rules with something the matter ({{ count(new Set(health?.ailments.map(({ rule }) => rule)).size) }})</label>
      <input v-if="rules.length > FEW" v-model="find" class="field w-56" placeholder="find a rule" aria-label="Find a rule" /></p>
    <table v-if="rules.length" class="book">
      <thead><tr><th class="w-8" /><th class="w-8" /><th>rule</th><th>{{ classification === '' ? 'sends to' : 'gives' }}</th><th class="num">takes</th><th class="num">charges</th><th class="num">if it stood first</th><th class="w-44" /></tr></thead>
      <tbody ref="body">
        <tr v-for="(rule, index) in rules" v-show="isShown(rule, index)" :key="rule.id" class="[content-visibility:auto]" :class="{ 'opacity-55': !rule.enabled }" :data-rule-index="index" :data-rule-name="rule.name">
          <td><button v-if="session.isKeeper" class="grip cursor-grab px-1 text-soft" :aria-label="`Move rule ${index + 1}, ${rule.name}; arrow keys move it`" @keydown.up.prevent="moveByKey(index, -1)" @keydown.down.prevent="moveByKey(index, 1)">⠿</button></td>
          <td class="note">{{ index + 1 }}</td>
          <td class="py-1!">
            <button class="line-clamp-2 text-left font-semibold break-words hover:underline" :title="rule.name" @click="go({ rule: rule.id })">{{ rule.name }}</button>
            <span v-if="!rule.enabled" class="note"> off</span><span v-if="monthsText(rule)" class="note"> {{ monthsText(rule) }}</span>
            <span class="note block text-[12.5px]!">{{ rule.conditions.map(conditionText).join(' and ') || (rule.outcome.kind === 'mapped' ? 'every charge that the mapping names' : 'no condition') }}</span>
            <span v-for="(ailment, at) in ailmentsOf(index)" :key="at" class="block text-[12.5px] text-warn" data-ailment>
              <template v-if="ailment.kind === 'contradictory'">contradicts itself: {{ ailment.reason }}</template>
              <template v-else-if="ailment.kind === 'contrary'">has the conditions of rule {{ ailment.against + 1 }} “{{ rules[ailment.against]?.name }}” and another outcome, so it takes nothing</template>
              <template v-else-if="ailment.kind === 'shadowed'">{{ amount(ailment.money.amount) }} would fit, all taken before, first by {{ takerText(ailment.behind) }} <button v-if="session.isKeeper && ailment.behind >= 0" class="link" @click="lift(index, ailment.behind)">Move it before that one</button></template>
              <template v-else-if="ailment.kind === 'dead'">nothing of the month fits it</template>
              <template v-else>took nothing in any of {{ ailment.months }} months</template>
            </span>
            <span v-if="flawOf(rule)" class="block text-[12.5px] text-warn">{{ flawOf(rule) }}</span>
          </td>
          <td class="max-w-80"><span class="line-clamp-3 break-words">{{ outcomeText(rule.outcome, centres, draft.rulebook?.pools ?? []) }}</span></td>
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
    <section v-if="overlaps.length" class="mt-6" aria-label="Overlaps">
      <h2>Where rules overlap</h2>
      <p class="note pb-1">Charges that fit two rules count for the first alone. This is what the later rule does not get, so that nothing counts twice.</p>
      <table class="book"><thead><tr><th>rule</th><th>gives way to</th><th class="num">charges</th><th class="num">deducted, {{ currency }}</th><th class="w-48" /></tr></thead>
        <tbody><tr v-for="overlap in overlaps.slice(0, 50)" :key="`${overlap.rule} ${overlap.by}`" data-overlap><td>{{ overlap.rule + 1 }} {{ rules[overlap.rule]?.name }}</td><td>{{ takerText(overlap.by) }}</td><td class="num">{{ count(overlap.money.lines) }}</td><td class="num font-semibold">{{ amount(overlap.money.amount) }}</td><td class="text-right"><button v-if="session.isKeeper && overlap.by >= 0" class="link" @click="lift(overlap.rule, overlap.by)">Let {{ overlap.rule + 1 }} go first</button></td></tr></tbody></table>
      <p v-if="overlaps.length > 50" class="note pt-1">and {{ overlaps.length - 50 }} smaller ones</p>
    </section>
    <SplitDialog :open="isSplitting" :centres="centres" @close="isSplitting = false" />
    <RuleEditor v-if="edited || isNew" :key="String(route.query.rule)" :rule="edited ?? blank()" :centres="centres" :classification="classification" :readonly="!session.isKeeper" @keep="keep" @close="go({ rule: undefined })" />
  </div>
</template>
