<script setup lang="ts">
/** The months that something holds in; empty is without an end. */
const from = defineModel<string | null>('from', { required: true })
const to = defineModel<string | null>('to', { required: true })
const valueOf = (event: Event): string | null => (event.target as HTMLInputElement).value.trim() || null
</script>

<template>
  <label>from month<input :value="from ?? ''" class="field mt-1 block w-28" placeholder="always" pattern="\d{4}-(0[1-9]|1[0-2])" title="a month as 2026-10" @input="from = valueOf($event)" /></label>
  <label>to month<input :value="to ?? ''" class="field mt-1 block w-28" placeholder="for ever" pattern="\d{4}-(0[1-9]|1[0-2])" title="a month as 2026-10" @input="to = valueOf($event)" /></label>
</template>
