<script setup lang="ts">
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useSession } from '../../stores/session.ts'

const session = useSession()
const router = useRouter()
const route = useRoute()
const login = ref('')
const password = ref('')
const error = ref('')
const isBusy = ref(false)

async function enter(): Promise<void> {
  isBusy.value = true
  error.value = ''
  try {
    await session.signIn(login.value, password.value)
    const to = typeof route.query.to === 'string' && route.query.to.startsWith('/') && !route.query.to.startsWith('//') ? route.query.to : '/desk'
    await router.push(to)
  } catch (failure) {
    error.value = (failure as Error).message
  } finally {
    isBusy.value = false
  }
}
</script>

<template>
  <main class="flex h-full items-center justify-center">
    <form class="w-[360px] border border-rule bg-page p-8" @submit.prevent="enter">
      <h1 class="text-[28px]!">Candid <i class="font-normal text-accent">Abacus</i></h1>
      <p class="note mt-1 mb-6">No figure without its working; the beads always add up.</p>
      <label class="mb-3 block">Name<input v-model.trim="login" class="field mt-1 block w-full" name="login" autocomplete="username" required autofocus /></label>
      <label class="mb-5 block">Password<input v-model="password" class="field mt-1 block w-full" name="password" type="password" autocomplete="current-password" required /></label>
      <p v-if="error" class="mb-4 text-warn" role="alert">{{ error }}</p>
      <button class="act w-full" :disabled="isBusy">{{ isBusy ? 'Signing in…' : 'Sign in' }}</button>
      <div class="mt-6" aria-hidden="true"><svg viewBox="0 0 300 24" class="w-full"><line x1="0" x2="300" y1="12" y2="12" stroke="var(--rod)" stroke-width="3" /><ellipse v-for="n in 8" :key="n" :cx="n * 22" cy="12" rx="9" ry="11" fill="var(--accent)" /><ellipse v-for="n in 3" :key="'o' + n" :cx="220 + n * 22" cy="12" rx="8" ry="10" fill="var(--page)" stroke="var(--accent)" stroke-width="2.5" /></svg></div>
    </form>
  </main>
</template>
