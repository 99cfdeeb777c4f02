<script setup lang="ts">
import { computed, ref } from 'vue'
import { KEY_COLUMNS } from '../../../core/charges/attributes.ts'
import { conditionFlaw } from '../../../core/classify/checkRulebook.ts'
import type { Condition } from '../../../core/types.ts'
import type { FoundResource } from '../../../server/features/rulebook/cleaning.ts'
import type { Taken } from '../../../server/features/rulebook/monthLedger.ts'
import { get } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { useDraftAnswer } from '../../composables/useDraftAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount, count } from '../../format.ts'
import ConditionRow from './ConditionRow.vue'

/** Resources found by name and conditions; the chosen ones by their id. */
const chosen = defineModel<string[]>({ required: true })
const { month } = usePlace()
const text = ref('')
const conditions = ref<Condition[]>([])
const { data: fields } = useAnswer(() => month.value, (asked, signal) => get<{ fields: { field: string; keys: number }[] }>('/api/rulebook/fields', { month: asked }, signal))
const choices = computed(() => fields.value?.fields.map(({ field }) => field) ?? [...KEY_COLUMNS])
const complete = computed(() => conditions.value.filter((condition) => conditionFlaw(condition) === null))
const { data, error, again } = useDraftAnswer<{ resources: FoundResource[]; count: number; money: Taken }>('/api/rulebook/resources', () => ({ text: text.value.trim(), conditions: complete.value }))
const picked = computed(() => new Set(chosen.value))
const isAll = computed(() => (data.value?.resources ?? []).length > 0 && data.value!.resources.every(({ id }) => picked.value.has(id)))
const flip = (id: string): void => { chosen.value = picked.value.has(id) ? chosen.value.filter((other) => other !== id) : [...chosen.value, id] }
function flipAll(): void {
  const ids = (data.value?.resources ?? []).map(({ id }) => id)
  chosen.value = isAll.value ? chosen.value.filter((id) => !ids.includes(id)) : [...new Set([...chosen.value, ...ids])]
}
const tags = ({ tags: all }: FoundResource): string => Object.entries(all).map(([key, value]) => `${key}=${value}`).join(', ')
</script>

<template>
  <div>
    <div class="mb-2 flex items-baseline gap-4"><input v-model="text" class="field w-72" placeholder="name or id of a resource" aria-label="Find resources" /><button type="button" class="link text-[13px]" @click="conditions.push({ field: choices.find((field) => field === 'ServiceName') ?? choices[0]!, operator: 'is', values: [] })">Narrow by an attribute</button><span class="note flex-1 text-right">{{ chosen.length }} chosen</span></div>
    <ConditionRow v-for="(condition, index) in conditions" :key="index" :condition="condition" :choices="choices" :month="month" @change="(next) => (conditions[index] = next)" @remove="conditions.splice(index, 1)" />
    <ErrorNote v-if="error" :error="error" @again="again" />
    <div class="max-h-56 overflow-auto" tabindex="0" role="region" aria-label="What was found">
      <table v-if="data" class="book"><thead><tr><th class="w-7"><input type="checkbox" aria-label="All found" :checked="isAll" @change="flipAll" /></th><th>resource</th><th>service</th><th>tags</th><th class="num">money of the month</th></tr></thead>
        <tbody><tr v-for="resource in data.resources" :key="resource.id" :data-resource="resource.id"><td><input type="checkbox" :aria-label="resource.name" :checked="picked.has(resource.id)" @change="flip(resource.id)" /></td><td>{{ resource.name }}</td><td class="note">{{ resource.provider }}, {{ resource.service }}</td><td class="note max-w-72 truncate">{{ tags(resource) || 'none' }}</td><td class="num">{{ amount(resource.money.amount) }}</td></tr></tbody></table>
    </div>
    <p v-if="data" class="note pt-1">{{ count(data.count) }} resources, {{ amount(data.money.amount) }}{{ data.count > data.resources.length ? `; the largest ${data.resources.length} are shown` : '' }}</p>
  </div>
</template>
