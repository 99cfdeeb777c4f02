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
const attributes = computed(() => Object.entries(data.value?.attributes ?? {}))
const details = computed(() => Object.entries(data.value?.details ?? {}))
</script>

<template>
  <PlainDialog :open="line !== null" title="A charge line" wide @close="emit('close')">
    <template v-if="line">
      <p class="note pb-3">Line {{ line.line }} of {{ line.file }} (load {{ line.loadId }}), {{ instant(line.day) }} to {{ instant(line.ends) }}. {{ line.ruleName ? `Taken by the rule “${line.ruleName}”.` : 'No rule takes it.' }}</p>
      <ErrorNote v-if="error" :error="error" @again="again" />
      <div class="grid max-h-[60vh] grid-cols-2 gap-x-8 overflow-auto">
        <table class="book"><tbody>
          <tr v-for="[label, value] in [['List cost', line.list], ['Contracted cost', line.contracted], ['Billed cost', line.billed], ['Effective cost', line.effective]]" :key="label"><td class="note">{{ label }}</td><td class="num font-semibold">{{ amount(value) }} {{ line.currency }}</td></tr>
          <tr v-for="[name, value] in details" :key="name"><td class="note">{{ fieldLabel(name) }}</td><td class="break-all">{{ value }}</td></tr>
        </tbody></table>
        <table class="book"><tbody><tr v-for="[name, value] in attributes" :key="name"><td class="note">{{ fieldLabel(name) }}</td><td class="break-all">{{ value }}</td></tr></tbody></table>
      </div>
      <div class="mt-4 flex justify-end"><button class="link" @click="emit('close')">Shut</button></div>
    </template>
  </PlainDialog>
</template>
