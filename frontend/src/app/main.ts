import '@fontsource/overpass/400.css'
import '@fontsource/overpass/600.css'
import '@fontsource/overpass-mono/400.css'
import 'element-plus/theme-chalk/dark/css-vars.css'
import '@/styles/theme.css'
import { VueQueryPlugin } from '@tanstack/vue-query'
import { createApp } from 'vue'
import App from './App.vue'
import { queryClient } from './queries'
import { router } from './router'

createApp(App).use(router).use(VueQueryPlugin, { queryClient: queryClient() }).mount('#app')
