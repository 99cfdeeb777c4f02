<script setup lang="ts">
import { computed } from 'vue'

/** Money by day as a small line, for the shape of it. */
const props = defineProps<{ days: { day: string; amount: number }[]; label: string }>()
const [WIDTH, HEIGHT] = [90, 20]
const points = computed(() => {
  const most = Math.max(0, ...props.days.map(({ amount }) => amount))
  if (most <= 0 || props.days.length < 2) return ''
  return props.days.map(({ amount }, index) => `${((index / (props.days.length - 1)) * WIDTH).toFixed(1)},${(HEIGHT - 1 - (Math.max(0, amount) / most) * (HEIGHT - 3)).toFixed(1)}`).join(' ')
})
</script>

<template>
  <svg v-if="points" class="inline-block align-middle" :width="WIDTH" :height="HEIGHT" role="img" :aria-label="label"><line x1="0" :y1="HEIGHT - 1" :x2="WIDTH" :y2="HEIGHT - 1" stroke="var(--rule)" /><polyline :points="points" fill="none" stroke="var(--accent)" stroke-width="1.3" /></svg>
</template>
