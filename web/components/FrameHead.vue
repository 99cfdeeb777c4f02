<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { usePlace } from '../composables/usePlace.ts'
import { dayName } from '../format.ts'
import { CHAPTERS } from '../router.ts'
import { useSession } from '../stores/session.ts'
import { currentTheme, setTheme } from '../theme.ts'
import FindField from './FindField.vue'

const emit = defineEmits<{ help: [] }>()
const session = useSession()
const router = useRouter()
const { route, basis, currency, go, linkTo } = usePlace()
const chapters = computed(() => CHAPTERS.filter(({ staff }) => !staff || session.isStaff))
const theme = ref(currentTheme())
function turnTheme(): void {
  theme.value = theme.value === 'dark' ? 'light' : 'dark'
  setTheme(theme.value)
}
async function leave(): Promise<void> {
  await session.signOut()
  await router.push('/sign-in')
}
</script>

<template>
  <div class="flex h-14 items-center gap-[clamp(12px,1.8vw,24px)] px-7">
    <RouterLink :to="linkTo('/desk')" class="serif text-[19px] whitespace-nowrap"><b>Candid</b> <i class="text-accent">Abacus</i></RouterLink>
    <nav aria-label="Chapters" class="flex gap-[clamp(12px,1.8vw,24px)]">
      <RouterLink v-for="chapter in chapters" :key="chapter.path" :to="linkTo(chapter.path)" class="border-b-2 py-1" :class="route.path.startsWith(chapter.path) ? 'border-accent font-semibold' : 'border-transparent text-soft hover:text-ink'">{{ chapter.name }}</RouterLink>
    </nav>
    <span class="flex-1" />
    <FindField />
    <select v-if="(session.state?.currencies.length ?? 0) > 1" class="note bg-transparent hover:text-ink" aria-label="Currency to read in" title="Currency to read in" :value="currency" @change="go({ currency: ($event.target as HTMLSelectElement).value === session.state?.currency ? undefined : ($event.target as HTMLSelectElement).value })"><option v-for="code in session.state?.currencies" :key="code" :value="code">{{ code }}</option></select>
    <button class="note whitespace-nowrap hover:text-ink" :title="'Change to ' + (basis === 'billed' ? 'effective' : 'billed') + ' cost (b)'" @click="go({ basis: basis === 'billed' ? 'effective' : 'billed', figure: undefined })">
      <template v-if="(session.state?.currencies.length ?? 0) <= 1">{{ session.state?.currency }} · </template>{{ basis }} cost
    </button>
    <Menu as="div" class="relative">
      <MenuButton class="text-right leading-4 whitespace-nowrap text-soft hover:text-ink">{{ session.viewer?.name }}<span v-if="session.state?.isDemo" class="block text-[11px]" title="Demo data: the date stands still">demo, {{ dayName(session.state.today) }}</span></MenuButton>
      <MenuItems class="absolute right-0 z-30 mt-2 w-64 border border-rule bg-page py-2 shadow-lg outline-none">
        <p class="note px-4 pb-2">{{ session.viewer?.role }}<span v-if="session.state?.isDemo">; demo data, the date stands at {{ dayName(session.state.today) }}</span></p>
        <MenuItem v-slot="{ active }"><button class="block w-full px-4 py-1 text-left" :class="{ 'bg-wash': active }" @click="turnTheme">{{ theme === 'dark' ? 'Light' : 'Dark' }} theme</button></MenuItem>
        <MenuItem v-slot="{ active }"><button class="block w-full px-4 py-1 text-left" :class="{ 'bg-wash': active }" @click="emit('help')">Keys</button></MenuItem>
        <MenuItem v-slot="{ active }"><button class="block w-full px-4 py-1 text-left" :class="{ 'bg-wash': active }" @click="leave">Sign out</button></MenuItem>
      </MenuItems>
    </Menu>
  </div>
</template>
