<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import ErrorNote from '../../components/ErrorNote.vue'
import PageHead from '../../components/PageHead.vue'
import TabRow from '../../components/TabRow.vue'
import { usePlace } from '../../composables/usePlace.ts'
import { useDraft } from '../../stores/draft.ts'
import { useSession } from '../../stores/session.ts'
import OrganisationTab from './OrganisationTab.vue'
import PoolsTab from './PoolsTab.vue'
import PublishDialog from './PublishDialog.vue'
import RulesTab from './RulesTab.vue'
import UnassignedTab from './UnassignedTab.vue'
import VersionsTab from './VersionsTab.vue'

const draft = useDraft()
const session = useSession()
const { route, go } = usePlace()
const TABS = { rules: 'Rules', unassigned: 'Unassigned', pools: 'Pools', organisation: 'Organisation', versions: 'Versions' }
const tab = computed(() => (Object.hasOwn(TABS, String(route.query.tab)) ? String(route.query.tab) : 'rules'))
const error = ref<Error | null>(null)
const isPublishing = ref(false)
const open = (): Promise<void> => draft.open().then(() => { error.value = null }, (failure: Error) => { error.value = failure })
onMounted(open)
const standing = computed(() => (draft.latest === 0 ? 'nothing is published yet' : draft.isChanged ? `draft with changes since version ${draft.latest}` : `version ${draft.latest} is published`))
</script>

<template>
  <PageHead title="Rulebook" :detail="draft.isOpen ? standing : ''" below="The first rule whose conditions all hold takes a charge. Edits stay in the draft until you publish them.">
    <span class="note" aria-live="polite">{{ draft.isSaving ? 'saving…' : '' }}</span>
    <button v-if="session.isKeeper" class="act" :disabled="!draft.isOpen || !draft.isChanged || draft.conflict !== ''" @click="isPublishing = true">See the effect and publish</button>
  </PageHead>
  <ErrorNote v-if="error" class="mx-7" :error="error" @again="open" />
  <div v-if="draft.conflict" class="mx-7 mb-3 flex items-center gap-5 border-l-2 border-warn pl-3" role="alert">
    <span class="flex-1 text-warn">{{ draft.conflict }}</span><button class="link" @click="open">Take theirs</button><button class="link danger" @click="draft.putMineOver">Put mine over it</button>
  </div>
  <TabRow :tabs="TABS" :chosen="tab" @choose="(name) => go({ tab: name, rule: undefined })" />
  <template v-if="draft.isOpen">
    <RulesTab v-if="tab === 'rules'" />
    <UnassignedTab v-else-if="tab === 'unassigned'" />
    <PoolsTab v-else-if="tab === 'pools'" />
    <OrganisationTab v-else-if="tab === 'organisation'" />
    <VersionsTab v-else />
    <PublishDialog :open="isPublishing" @close="isPublishing = false" />
  </template>
</template>
