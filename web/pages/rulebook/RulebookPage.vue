<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import type { CostCentre } from '../../../core/types.ts'
import { get, send } from '../../api/client.ts'
import ErrorNote from '../../components/ErrorNote.vue'
import PageHead from '../../components/PageHead.vue'
import TabRow from '../../components/TabRow.vue'
import { useAnswer } from '../../composables/useAnswer.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { useDraft } from '../../stores/draft.ts'
import { useNotes } from '../../stores/notes.ts'
import { useSession } from '../../stores/session.ts'
import CleanTab from './CleanTab.vue'
import ClusterSettingsTab from './ClusterSettingsTab.vue'
import MarkUpTab from './MarkUpTab.vue'
import OrganisationTab from './OrganisationTab.vue'
import PoolsTab from './PoolsTab.vue'
import PublishDialog from './PublishDialog.vue'
import RulesTab from './RulesTab.vue'
import SpecialTab from './SpecialTab.vue'
import TestTab from './TestTab.vue'
import UnassignedTab from './UnassignedTab.vue'
import ValuesTab from './ValuesTab.vue'
import VersionsTab from './VersionsTab.vue'

const draft = useDraft()
const session = useSession()
const notes = useNotes()
const { route, go } = usePlace()
const TABS = { clean: 'Tag clean-up', rules: 'Rules', unassigned: 'Unassigned', values: 'Values', test: 'Test a charge', clusters: 'Clusters', special: 'Special charges', pools: 'Pools', markups: 'Mark-up', organisation: 'Organisation', versions: 'Versions' }
const tab = computed(() => (Object.hasOwn(TABS, String(route.query.tab)) ? String(route.query.tab) : 'rules'))
const { data: organisation } = useAnswer(() => session.changes, (_question, signal) => get<{ centres: CostCentre[] }>('/api/organisation', {}, signal))
const error = ref<Error | null>(null)
const isPublishing = ref(false)
const open = (): Promise<void> => draft.open().then(() => { error.value = null }, (failure: Error) => { error.value = failure })
onMounted(open)
/** Rules and organisation from a file: all of it or nothing. */
async function take(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const chosen = input.files?.[0]
  input.value = ''
  if (!chosen) return
  try {
    let file: unknown
    try { file = JSON.parse(await chosen.text()) } catch (flaw) { throw new Error(`${chosen.name} is no JSON, and nothing was changed: ${(flaw as Error).message}`) }
    const before = draft.rulebook!
    const taken = await send<{ rules: number; centres: number }>('POST', '/api/rulebook/file', { revision: draft.revision, file })
    await draft.open()
    await session.refresh()
    draft.offerUndo(`${taken.rules} rules are in the draft, and ${taken.centres} cost centres are kept.`, before)
  } catch (failure) {
    notes.fail(failure)
  }
}
const standing = computed(() => (draft.latest === 0 ? 'nothing is published yet' : draft.isChanged ? `draft with changes since version ${draft.latest}` : `version ${draft.latest} is published`))
</script>

<template>
  <PageHead title="Rulebook" :detail="draft.isOpen ? standing : ''" below="The first rule whose conditions all hold takes a charge. Edits stay in the draft until you publish them.">
    <span class="note" aria-live="polite">{{ draft.isSaving ? 'saving…' : '' }}</span>
    <a class="link" href="/api/rulebook.json" download title="Rules and organisation as one JSON file">As JSON</a>
    <label v-if="session.isKeeper" class="link cursor-pointer">From JSON<input type="file" class="sr-only" accept=".json" data-rulebook-file @change="take" /></label>
    <a class="note hover:text-ink" href="/api/rulebook.schema.json" download>its schema</a>
    <button v-if="session.isKeeper" class="act" :disabled="!draft.isOpen || !draft.isChanged || draft.conflict !== ''" @click="isPublishing = true">See the effect and publish</button>
  </PageHead>
  <ErrorNote v-if="error" class="mx-7" :error="error" @again="open" />
  <div v-if="draft.conflict" class="mx-7 mb-3 flex items-center gap-5 border-l-2 border-warn pl-3" role="alert">
    <span class="flex-1 text-warn">{{ draft.conflict }}</span><button class="link" @click="open">Take theirs</button><button class="link danger" @click="draft.putMineOver">Put mine over it</button>
  </div>
  <TabRow :tabs="TABS" :chosen="tab" @choose="(name) => go({ tab: name, rule: undefined, version: undefined, across: undefined, charge: undefined, part: undefined, cluster: undefined })" />
  <datalist id="rulebook-targets"><option v-for="centre in organisation?.centres.length! > 200 ? organisation!.centres : []" :key="centre.code" :value="centre.code">{{ centre.name }}</option></datalist>
  <template v-if="draft.isOpen">
    <RulesTab v-if="tab === 'rules'" />
    <CleanTab v-else-if="tab === 'clean'" />
    <ValuesTab v-else-if="tab === 'values'" />
    <TestTab v-else-if="tab === 'test'" />
    <UnassignedTab v-else-if="tab === 'unassigned'" />
    <ClusterSettingsTab v-else-if="tab === 'clusters'" />
    <SpecialTab v-else-if="tab === 'special'" />
    <PoolsTab v-else-if="tab === 'pools'" />
    <MarkUpTab v-else-if="tab === 'markups'" />
    <OrganisationTab v-else-if="tab === 'organisation'" />
    <VersionsTab v-else />
    <PublishDialog :open="isPublishing" @close="isPublishing = false" />
  </template>
</template>
