<script setup lang="ts">
import { computed } from 'vue'
import { fieldLabel } from '../../../core/charges/attributes.ts'
import PlainDialog from '../../components/PlainDialog.vue'
import ErrorNote from '../../components/ErrorNote.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { amount, instant } from '../../format.ts'
import { readLine, type Line } from './lines.ts'

const props = defineProps<{ line: Line | null; figure: string }>()
const emit = defineEmits<{ close: [] }>()
const { data, error, again } = useAnswer(() => props.line && { figure: props.figure, line: props.line }, ({ figure, line }, signal) => readLine(figure, line, signal))
/** Each attribute as billed, and as it counts where that differs. */
const attributes = computed(() => {
  const { attributes: billed = {}, counted = [] } = data.value ?? {}
  const fields = [...new Set([...Object.keys(billed), ...counted.flatMap((part) => Object.keys(part))])]
  // tags and classifications first: they are what rules mostly ask for
  const rank = (field: string): number => (field.startsWith('tag:') ? 0 : field.startsWith('class:') ? 1 : 2)
  return fields.sort((a, b) => rank(a) - rank(b)).map((field) => {
    const parts = [...new Set(counted.map((part) => part[field] ?? 'missing'))].join(', ')
    return { field, billed: billed[field], counts: parts !== (billed[field] ?? 'missing') ? parts : null }
  })
})
const details = computed(() => Object.entries(data.value?.details ?? {}))
</script>

<template>
  <PlainDialog :open="line !== null" title="A charge line" wide @close="emit('close')">
    <template v-if="line">
      <p class="note pb-3">Line {{ line.line }} of {{ line.file }} (load {{ line.loadId }}), {{ instant(line.day) }} to {{ instant(line.ends) }}. {{ line.ruleName ? `Taken by the rule “${line.ruleName}”${line.percent === null ? '' : `, ${line.percent} % of it in this figure`}.` : 'No rule takes it.' }}</p>
      <ErrorNote v-if="error" :error="error" @again="again" />
      <div class="grid max-h-[60vh] grid-cols-2 items-start gap-x-8 overflow-auto">
        <table class="book"><tbody>
          <tr v-for="[label, value] in [['List cost', line.list], ['Contracted cost', line.contracted], ['Billed cost', line.billed], ['Effective cost', line.effective]]" :key="label"><td class="note">{{ label }}</td><td class="num font-semibold">{{ amount(value) }} {{ line.currency }}</td></tr>
          <tr v-for="[name, value] in details" :key="name"><td class="note">{{ fieldLabel(name) }}</td><td class="break-all">{{ value }}</td></tr>
        </tbody></table>
        <table class="book"><tbody><tr v-for="one in attributes" :key="one.field" :data-attribute="one.field"><td class="note">{{ fieldLabel(one.field) }}</td><td class="break-all"><span :class="{ 'note line-through': one.counts !== null && one.billed !== undefined }">{{ one.billed ?? '' }}</span><template v-if="one.counts !== null"> <b>{{ one.counts }}</b> <span class="note">{{ one.field.startsWith('class:') ? 'by its rules' : 'cleaned' }}</span></template></td></tr></tbody></table>
      </div>
      <div class="mt-4 flex justify-end"><button class="link" @click="emit('close')">Shut</button></div>
    </template>
  </PlainDialog>
</template>
