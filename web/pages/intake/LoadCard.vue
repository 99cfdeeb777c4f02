<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import type { FindingRow, Load } from '../../../server/features/intake/store.ts'
import { get, send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import PlainDialog from '../../components/PlainDialog.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { amount, bytes, count, instant, monthName } from '../../format.ts'
import { useNotes } from '../../stores/notes.ts'
import { useSession } from '../../stores/session.ts'
import ColumnMapping from './ColumnMapping.vue'
import { isAtWork, STATE_WORDS } from './words.ts'

const props = defineProps<{ id: number }>()
const emit = defineEmits<{ close: [] }>()
const session = useSession()
const notes = useNotes()
const isBusy = ref(false)
const { data, error, again } = useAnswer(() => props.id, (id, signal) => get<{ load: Load }>(`/api/loads/${id}`, {}, signal))
const load = computed(() => data.value?.load ?? null)
const { data: found } = useAnswer(() => (load.value && load.value.refusedLines > 0 ? { id: props.id, lines: load.value.refusedLines } : null), ({ id }, signal) => get<{ findings: FindingRow[] }>(`/api/loads/${id}/findings`, {}, signal))
const { resume, pause } = useIntervalFn(again, 500, { immediate: false })
watch(load, (now, before) => {
  if (now && isAtWork(now)) resume()
  else pause()
  if (before && isAtWork(before) && now && !isAtWork(now)) void session.refresh()
}, { immediate: true })

async function act(name: 'confirm' | 'discard' | 'cancel', said: string): Promise<void> {
  isBusy.value = true
  try {
    await send('POST', `/api/loads/${props.id}/${name}`)
    await again()
    await session.refresh()
    notes.say(said)
  } catch (failure) {
    notes.fail(failure)
  } finally {
    isBusy.value = false
  }
}
const KINDS = { new: 'new', extends: 'adds days', same: 'unchanged', restates: 'restates' } as const
const UNITS = { bills: '', metering: 'pod hours', flows: 'GB' } as const
const shown = (decimal: string): string => amount(decimal.replace(/(\.\d\d)\d*$/, '$1'))
</script>

<template>
  <PlainDialog :open="true" :title="load ? `Load ${load.id}: ${load.fileName}` : `Load ${id}`" wide @close="emit('close')">
    <ErrorNote v-if="error" :error="error" @again="again" />
    <div v-else-if="load" class="max-h-[68vh] overflow-auto" data-load-card>
      <p><b :class="{ 'text-warn': ['refused', 'failed', 'confirming'].includes(load.state) }">{{ STATE_WORDS[load.state] }}</b><span class="note">, {{ count(load.readLines) }} lines, {{ bytes(load.bytes) }}, by {{ load.user }}, {{ instant(load.created) }}<template v-if="load.seconds > 0">, {{ count(Math.round(load.readLines / load.seconds)) }} lines/s, {{ (load.readBytes / 1e6 / load.seconds).toFixed(1) }} MB/s</template></span></p>
      <p v-if="load.message" class="mt-1" data-load-message>{{ load.message }}</p>
      <div v-if="isAtWork(load)" class="mt-3"><progress class="h-2 w-full accent-[var(--accent)]" :max="load.bytes" :value="load.readBytes" /><button v-if="session.isKeeper" class="link mt-1" @click="act('cancel', 'The load is being cancelled.')">Cancel</button></div>

      <ColumnMapping v-if="load.state === 'refused' && load.report?.mapping" :load="load" :mapping="load.report.mapping" @mapped="again" />

      <template v-if="load.report?.bills.length">
        <h2 class="mt-4">Bills in this file</h2>
        <table class="book">
          <thead><tr><th>provider</th><th>account</th><th>period</th><th>kind</th><th class="num">lines</th><th class="num">billed before</th><th class="num">billed now</th><th class="num">effective now</th></tr></thead>
          <tbody><tr v-for="bill in load.report.bills" :key="bill.billId"><td>{{ bill.provider }}</td><td>{{ bill.account }}</td><td>{{ monthName(bill.month) }}</td><td :class="{ 'text-warn font-semibold': bill.kind === 'restates' }">{{ KINDS[bill.kind] }}</td><td class="num">{{ count(bill.after.lines) }}</td><td class="num">{{ bill.before ? shown(bill.before.billed) : '' }}</td><td class="num">{{ shown(bill.after.billed) }}</td><td class="num">{{ shown(bill.after.effective) }} <span class="note">{{ bill.currency }}</span></td></tr></tbody>
        </table>
        <template v-for="bill in load.report.bills.filter(({ services }) => services.length > 0)" :key="bill.billId">
          <h2 class="mt-4">{{ bill.provider }}, {{ monthName(bill.month) }}: difference by service</h2>
          <p v-if="bill.kind === 'restates'" class="note">{{ bill.changedDays }} figures of days that were already there change.</p>
          <table class="book" data-difference><thead><tr><th>service</th><th class="num">before</th><th class="num">now</th><th class="num">difference</th></tr></thead>
            <tbody><tr v-for="service in bill.services" :key="service.service + service.currency"><td>{{ service.service || 'no service' }}</td><td class="num">{{ shown(service.before) }}</td><td class="num">{{ shown(service.after) }}</td><td class="num font-semibold">{{ amount(service.difference.replace(/0{1,8}$/, ''), { signed: true }) }} <span class="note font-normal">{{ service.currency }}</span></td></tr></tbody></table>
        </template>
      </template>
      <template v-if="load.report?.measured?.length">
        <h2 class="mt-4">{{ load.kind === 'flows' ? 'Flows' : 'Metering' }} in this file</h2>
        <table class="book" data-load-metering>
          <thead><tr><th>{{ load.kind === 'flows' ? 'source' : 'cluster' }}</th><th>period</th><th class="num">new days</th><th class="num">changed days</th><th class="num">same days</th><th class="num">{{ UNITS[load.kind] }} before</th><th class="num">now</th></tr></thead>
          <tbody><tr v-for="one in load.report.measured" :key="one.subject + one.month"><td>{{ one.subject }}</td><td>{{ monthName(one.month) }}</td><td class="num">{{ one.newDays }}</td><td class="num" :class="{ 'text-warn font-semibold': one.changedDays }">{{ one.changedDays }}</td><td class="num">{{ one.sameDays }}</td><td class="num">{{ count(Math.round(one.amountBefore)) }}</td><td class="num">{{ count(Math.round(one.amount)) }}</td></tr></tbody>
        </table>
      </template>
      <div v-if="load.state === 'confirming' && session.isKeeper" class="mt-4 flex justify-end gap-5"><button class="link danger" :disabled="isBusy" @click="act('discard', 'The load was discarded; the ledger is as it was.')">Discard</button><button class="act" :disabled="isBusy" @click="act('confirm', 'What was restated has taken the place of what was there before.')">Confirm and replace</button></div>

      <template v-if="found?.findings.length">
        <div class="mt-4 flex items-baseline justify-between"><h2>Refused lines<span v-if="load.refusedLines > found.findings.length" class="note font-sans font-normal">, the first {{ count(found.findings.length) }}</span></h2><a class="link" :href="`/api/loads/${load.id}/findings.csv`" download>All as CSV</a></div>
        <table class="book" data-findings><thead><tr><th>line</th><th>column</th><th>value</th><th>reason</th><th>rule</th></tr></thead>
          <tbody><tr v-for="(finding, index) in found.findings" :key="index" class="[content-visibility:auto]"><td>{{ finding.line }}</td><td>{{ finding.column }}</td><td class="max-w-52 truncate"><code>{{ finding.value }}</code></td><td>{{ finding.reason }}</td><td class="note">{{ finding.rule }}</td></tr></tbody></table>
      </template>
      <template v-if="load.report?.warnings.length">
        <h2 class="mt-4">Warnings; the lines were taken</h2>
        <table class="book"><thead><tr><th>rule</th><th>column</th><th>what the standard says</th><th class="num">lines</th><th class="pl-4!">for example</th></tr></thead>
          <tbody><tr v-for="warning in load.report.warnings" :key="warning.rule + warning.column"><td class="note">{{ warning.rule }}</td><td>{{ warning.column }}</td><td>{{ warning.text }}</td><td class="num">{{ count(warning.count) }}</td><td class="note max-w-52 truncate pl-4!">line {{ warning.examples[0]?.line }}: {{ warning.examples[0]?.value || 'empty' }}</td></tr></tbody></table>
      </template>
      <p v-if="load.report?.missingMandatory.length" class="note mt-3">Columns of the standard that the file does not have, and that accounting can do without: {{ load.report.missingMandatory.join(', ') }}.</p>
    </div>
    <p v-else class="note">Reading the report…</p>
    <div class="mt-4 flex justify-end"><button class="link" @click="emit('close')">Shut</button></div>
  </PlainDialog>
</template>
