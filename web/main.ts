import '@fontsource/hanken-grotesk/latin-400.css'
import '@fontsource/hanken-grotesk/latin-600.css'
import '@fontsource/hanken-grotesk/latin-ext-400.css'
import '@fontsource/literata/latin-400.css'
import '@fontsource/literata/latin-700.css'
import '@fontsource/literata/latin-400-italic.css'
import './styles.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { router } from './router.ts'
import { applyTheme } from './theme.ts'

applyTheme()
createApp(App).use(createPinia()).use(router).mount('#app')
