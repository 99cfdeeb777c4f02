<script setup lang="ts">
import { computed } from 'vue'
import { usePlace } from '../composables/usePlace.ts'
import { amount } from '../format.ts'

/** An amount that opens its workings in the margin. Without a reference it is only shown. */
const props = withDefaults(defineProps<{ value: string | null; figure?: string | null; signed?: boolean }>(), { figure: null, signed: false })
const { figure: open, openFigure } = usePlace()
const text = computed(() => amount(props.value, { signed: props.signed }))
</script>

<template>
  <button v-if="figure && value !== null" class="figure" :class="{ 'is-open': open === figure }" :data-figure="figure" title="Open the workings" @click.stop="openFigure(open === figure ? null : figure)">{{ text }}</button>
  <span v-else>{{ text }}</span>
</template>
