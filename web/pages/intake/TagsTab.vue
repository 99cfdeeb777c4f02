<script setup lang="ts">
import type { CoverageRow } from '../../../server/features/rulebook/cleaning.ts'
import { get } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import TagCoverage from '../../components/TagCoverage.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { useSession } from '../../stores/session.ts'

const session = useSession()
const { month, linkTo } = usePlace()
const { data, error, again } = useAnswer(() => ({ month: month.value, changes: session.changes }), ({ month: asked }, signal) => get<{ rows: CoverageRow[] }>('/api/intake/coverage', { month: asked }, signal))
</script>

<template>
  <div class="px-7 pb-8">
    <ErrorNote v-if="error" :error="error" @again="again" />
    <TagCoverage v-else-if="data?.rows.length" :rows="data.rows" />
    <p v-else-if="data">No tag key counts yet. Mark some in the <RouterLink class="link" :to="linkTo('/rulebook?tab=clean')">tag clean-up</RouterLink>, and publish.</p>
    <p v-else class="note">Looking at the tags of the months…</p>
    <p v-if="data?.rows.length && session.isKeeper" class="pt-3"><RouterLink class="link" :to="linkTo('/rulebook?tab=clean')">Clean the tags up ›</RouterLink></p>
  </div>
</template>
