import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import 'element-plus/dist/index.css'
import 'element-plus/theme-chalk/dark/css-vars.css'
import '@fontsource/source-sans-3/latin-400.css'
import '@fontsource/source-sans-3/latin-600.css'
import '@fontsource/source-sans-3/latin-ext-400.css'
import '@fontsource/source-sans-3/latin-ext-600.css'
import '@fontsource/source-code-pro/latin-400.css'
import '@fontsource/source-code-pro/latin-600.css'
import './shared/theme.css'
import App from './App.vue'
import { router } from './router'
import { applyTheme } from './shared/theme'

applyTheme()
// The server says when something changed; nothing is asked for again by itself, and a refusal is told at once.
const queryClient = new QueryClient({
  defaultOptions: {
    queries: { staleTime: Infinity, retry: false, refetchOnWindowFocus: false, refetchOnReconnect: false, networkMode: 'always' },
  },
})
createApp(App).use(createPinia()).use(router).use(VueQueryPlugin, { queryClient }).mount('#app')
