<script setup lang="ts">
import { computed } from 'vue'

/** A share from 0 to 1 as ten beads on a rod; null: nothing to show. */
const props = defineProps<{ share: number | null; label: string }>()
const BEADS = 10
const solid = computed(() => Math.round(Math.min(1, Math.max(0, props.share ?? 0)) * BEADS))
</script>

<template>
  <svg v-if="share !== null" class="inline-block align-middle" width="74" height="10" viewBox="0 0 74 10" role="img" :aria-label="`${label}: ${(share * 100).toFixed(0)} per cent`">
    <line x1="0" y1="5" x2="74" y2="5" stroke="var(--rod)" stroke-width="1" />
    <circle v-for="bead in BEADS" :key="bead" :cx="bead * 7 - 2.5" cy="5" r="2.8" :fill="bead <= solid ? 'var(--accent)' : 'var(--page)'" stroke="var(--accent)" stroke-width="1" />
  </svg>
</template>
