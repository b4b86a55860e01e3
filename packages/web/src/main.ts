import '@fontsource-variable/source-sans-3'
import '@fontsource-variable/source-serif-4'
import '@fontsource-variable/source-code-pro'
import './look/base.css'
import './look/element.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { applyTheme } from './look/theme'
import { router } from './router'

applyTheme()
createApp(App).use(createPinia()).use(router).mount('#app')
