<script setup lang="ts">
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/vue'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { CostCentre, Rulebook } from '../../core/types.ts'
import { get } from '../api/client.ts'
import { usePlace } from '../composables/usePlace.ts'
import { monthName } from '../format.ts'
import { CHAPTERS } from '../router.ts'
import { useSession } from '../stores/session.ts'

interface Found { label: string; kind: string; go: () => void }

const router = useRouter()
const session = useSession()
const { months, go, linkTo } = usePlace()
const text = ref('')
const centres = ref<CostCentre[]>([])
const units = ref<{ code: string; name: string }[]>([])
const rules = ref<Rulebook['rules']>([])

/** What can be found is fetched when somebody begins to look. */
async function prepare(): Promise<void> {
  const organisation = await get<{ units: { code: string; name: string }[]; centres: CostCentre[] }>('/api/organisation')
  centres.value = organisation.centres
  units.value = organisation.units
  if (session.isStaff) rules.value = (await get<{ draft: { rulebook: Rulebook } }>('/api/rulebook')).draft.rulebook.rules
}

const everything = computed<Found[]>(() => [
  ...CHAPTERS.filter(({ staff }) => !staff || session.isStaff).map(({ name, path }) => ({ label: name, kind: 'chapter', go: () => void router.push(linkTo(path)) })),
  ...centres.value.map(({ code, name }) => ({ label: `${code} ${name}`, kind: 'statement', go: () => void router.push(linkTo(`/statements/cc:${code}`)) })),
  ...units.value.map(({ code, name }) => ({ label: `${code} ${name}`, kind: 'statement of the unit', go: () => void router.push(linkTo(`/statements/unit:${code}`)) })),
  ...months.value.map(({ month }) => ({ label: monthName(month), kind: 'month', go: () => go({ month, figure: undefined }) })),
  ...rules.value.map(({ id, name }) => ({ label: name, kind: 'rule', go: () => void router.push(linkTo('/rulebook', { rule: id })) })),
])
const found = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean)
  if (words.length === 0) return []
  return everything.value.filter(({ label }) => words.every((word) => label.toLowerCase().includes(word))).slice(0, 12)
})
function choose(item: Found | null): void {
  if (!item) return
  item.go()
  text.value = ''
  document.querySelector<HTMLElement>('#page')?.focus()
}
</script>

<template>
  <Combobox as="div" class="relative" :model-value="null" @update:model-value="choose">
    <ComboboxInput id="find" class="w-[clamp(84px,11vw,144px)] border-b border-rule bg-transparent py-1 placeholder:text-soft" placeholder="Find… /" aria-label="Find anything" :display-value="() => text" autocomplete="off" @focus="prepare" @change="text = $event.target.value" />
    <ComboboxOptions class="absolute right-0 z-30 mt-1 max-h-96 w-80 overflow-auto border border-rule bg-page py-1 shadow-lg">
      <p v-if="text && found.length === 0" class="note px-3 py-1">Nothing of that name.</p>
      <ComboboxOption v-for="item in found" :key="item.kind + item.label" v-slot="{ active }" :value="item" as="template">
        <li class="flex cursor-pointer justify-between gap-3 px-3 py-1" :class="{ 'bg-wash': active }"><span class="truncate">{{ item.label }}</span><span class="note">{{ item.kind }}</span></li>
      </ComboboxOption>
    </ComboboxOptions>
  </Combobox>
</template>
