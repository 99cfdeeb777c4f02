<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Classification } from '../../../core/types.ts'
import PlainDialog from '../../components/PlainDialog.vue'
import { usePlace } from '../../composables/usePlace.ts'
import { useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'

const chosen = defineModel<string>({ required: true })
withDefaults(defineProps<{ label?: string; edits?: boolean }>(), { label: 'Classification', edits: false })
const draft = useDraft()
const session = useSession()
const { go } = usePlace()
const all = computed(() => draft.rulebook?.classifications ?? [])
const edited = ref<{ code: string; name: string; isNew: boolean } | null>(null)
const flaw = computed(() => {
  const { code = '', name = '', isNew = true } = edited.value ?? {}
  if (!name.trim()) return 'Give it a name.'
  if (!/^[\w-]{1,32}$/.test(code)) return 'A code of letters, digits, - and _ is how rules and groupings name it.'
  return isNew && all.value.some((one) => one.code === code) ? `There is a classification ${code} already.` : ''
})
function named(name: string): void {
  if (!edited.value) return
  if (edited.value.isNew) edited.value.code = name.trim().toLowerCase().replace(/[^\p{L}\p{N}]+/gu, '-').slice(0, 32)
  edited.value.name = name
}
function keep(): void {
  const { code, name, isNew } = edited.value!
  const one: Classification = { code, name: name.trim(), rules: all.value.find((old) => old.code === code)?.rules ?? [] }
  draft.changeClassifications(isNew ? [...all.value, one] : all.value.map((old) => (old.code === code ? one : old)), isNew ? `Classification “${one.name}” is added to the draft.` : '')
  edited.value = null
  chosen.value = code
}
function remove(): void {
  const { code, name } = edited.value!
  draft.changeClassifications(all.value.filter((old) => old.code !== code), `Classification “${name}” and its rules are deleted from the draft.`)
  edited.value = null
  chosen.value = ''
  go({ rule: undefined })
}
</script>

<template>
  <span class="inline-flex flex-wrap items-baseline gap-x-4 gap-y-1" :aria-label="label" role="group">
    <button v-for="one in [{ code: '', name: 'Cost centre' }, ...all]" :key="one.code" :aria-pressed="one.code === chosen" class="border-b" :class="one.code === chosen ? 'border-ochre font-semibold' : 'border-transparent text-soft hover:text-ink'" :data-class="one.code" @click="chosen = one.code">{{ one.name }}</button>
    <template v-if="edits && session.isKeeper">
      <button v-if="chosen" class="note hover:text-ink" @click="edited = { ...all.find(({ code }) => code === chosen)!, isNew: false }">Rename or delete</button>
      <button class="link text-[13px]" @click="edited = { code: '', name: '', isNew: true }">Add a classification</button>
    </template>
    <PlainDialog :open="edited !== null" :title="edited?.isNew ? 'A new classification' : 'A classification'" @close="edited = null">
      <form v-if="edited" class="flex flex-col gap-4" @submit.prevent="!flaw && keep()">
        <p v-if="edited.isNew" class="note">Its rules give every charge one value, such as a product or an environment. Later classifications and the cost-centre rules can ask for that value, and spend can be grouped by it.</p>
        <label>Name<input class="field mt-1 w-full" :value="edited.name" maxlength="200" @input="named(($event.target as HTMLInputElement).value)" /></label>
        <label>Code<input v-model.trim="edited.code" class="field mt-1 w-full" maxlength="32" :readonly="!edited.isNew" /></label>
        <p v-if="flaw" class="note">{{ flaw }}</p>
        <div class="flex justify-end gap-5"><button v-if="!edited.isNew" type="button" class="link danger mr-auto" @click="remove">Delete it</button><button type="button" class="link" @click="edited = null">Leave it</button><button class="act" :disabled="flaw !== ''">Keep it</button></div>
      </form>
    </PlainDialog>
  </span>
</template>
