<script setup lang="ts">
import { computed } from 'vue'
import PageHead from '../../components/PageHead.vue'
import TabRow from '../../components/TabRow.vue'
import { usePlace } from '../../composables/usePlace.ts'
import { useSession } from '../../stores/session.ts'
import CalendarTab from './CalendarTab.vue'
import DriversTab from './DriversTab.vue'
import FeedsTab from './FeedsTab.vue'
import LoadCard from './LoadCard.vue'
import LoadsTab from './LoadsTab.vue'
import RatesTab from './RatesTab.vue'
import TagsTab from './TagsTab.vue'

const session = useSession()
const { route, go } = usePlace()
const TABS = { bills: 'Bills', calendar: 'What has arrived', feeds: 'Feeds', tags: 'Tags', drivers: 'Drivers', rates: 'Exchange rates' }
const tab = computed(() => (Object.hasOwn(TABS, String(route.query.tab)) ? String(route.query.tab) : 'bills'))
const load = computed(() => Number(route.query.load) || null)
</script>

<template>
  <PageHead title="Intake" below="Bills come in as FOCUS files, metering of clusters by pod and hour, traffic by network and day; CSV, plain or compressed with gzip, or Parquet. A file is taken whole or not at all.">
    <label v-if="session.isKeeper && tab === 'bills'" for="pick-file" class="act cursor-pointer">Load a file</label>
  </PageHead>
  <TabRow :tabs="TABS" :chosen="tab" @choose="(name) => go({ tab: name, load: undefined })" />
  <LoadsTab v-if="tab === 'bills'" />
  <CalendarTab v-else-if="tab === 'calendar'" />
  <FeedsTab v-else-if="tab === 'feeds'" />
  <TagsTab v-else-if="tab === 'tags'" />
  <DriversTab v-else-if="tab === 'drivers'" />
  <RatesTab v-else />
  <LoadCard v-if="load" :id="load" @close="go({ load: undefined })" />
</template>
