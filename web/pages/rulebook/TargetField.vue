<script setup lang="ts">
/** One of many targets: chosen from a list, or, where the list is long, typed and found in it. */
const chosen = defineModel<string>({ required: true })
withDefaults(defineProps<{ targets: { code: string; label: string }[]; label: string; blank?: string; taken?: (code: string) => boolean }>(), { blank: '', taken: () => false })
const LONG = 200
const TARGET_LIST = 'rulebook-targets'
</script>

<template>
  <select v-if="targets.length <= LONG" class="field" :aria-label="label" :value="chosen" @change="chosen = ($event.target as HTMLSelectElement).value"><option v-if="blank" value="">{{ blank }}</option><option v-for="one in targets" :key="one.code" :value="one.code" :disabled="one.code !== chosen && taken(one.code)">{{ one.label }}</option></select>
  <span v-else class="inline-flex min-w-0 items-center gap-2"><input class="field w-28" :list="TARGET_LIST" :aria-label="label" :value="chosen" :placeholder="blank || 'code'" @change="chosen = ($event.target as HTMLInputElement).value.trim()" /><span class="note truncate">{{ targets.find(({ code }) => code === chosen)?.label.slice(chosen.length) ?? (chosen ? 'no cost centre' : '') }}</span></span>
</template>
