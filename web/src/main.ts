import { VueQueryPlugin } from '@tanstack/vue-query'
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
import { queryClient } from './session/queries'
import { applyTheme } from './shared/theme'

applyTheme()
createApp(App).use(createPinia()).use(router).use(VueQueryPlugin, { queryClient }).mount('#app')
