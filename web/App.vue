<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import BalanceLine from './components/BalanceLine.vue'
import FrameHead from './components/FrameHead.vue'
import KeysHelp from './components/KeysHelp.vue'
import NoteStack from './components/NoteStack.vue'
import PeriodRod from './components/PeriodRod.vue'
import WorkingsMargin from './components/WorkingsMargin.vue'
import { useKeys } from './composables/useKeys.ts'
import { staleAnswers } from './composables/useAnswer.ts'
import { usePlace } from './composables/usePlace.ts'
import { useSession } from './stores/session.ts'

const session = useSession()
const route = useRoute()
const router = useRouter()
const { figure } = usePlace()
const isHelpOpen = ref(false)
useKeys({ help: () => { isHelpOpen.value = true } })

const isFramed = computed(() => session.viewer !== null && !route.meta.open)
watch(() => session.viewer, (viewer) => {
  if (!viewer && session.isKnown && !route.meta.open) void router.push({ path: '/sign-in', query: { to: route.fullPath } })
})
</script>

<template>
  <div v-if="isFramed" class="flex h-full flex-col" :data-stale="staleAnswers.size > 0 || undefined">
    <a href="#page" class="sr-only focus:not-sr-only">Skip to the page</a>
    <header class="frame-head border-b border-rule bg-paper">
      <FrameHead @help="isHelpOpen = true" />
      <PeriodRod />
    </header>
    <div class="flex min-h-0 flex-1">
      <main id="page" tabindex="-1" :aria-busy="staleAnswers.size > 0" class="min-w-0 flex-1 overflow-auto bg-page outline-none">
        <RouterView />
      </main>
      <WorkingsMargin v-if="figure" />
    </div>
    <BalanceLine />
    <KeysHelp :open="isHelpOpen" @close="isHelpOpen = false" />
  </div>
  <RouterView v-else />
  <NoteStack />
</template>
