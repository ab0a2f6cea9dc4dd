import './frame/reset.css'
import '@fontsource-variable/atkinson-hyperlegible-mono/index.css'
import '@fontsource-variable/atkinson-hyperlegible-next/index.css'
import 'vuetify/styles'
import './frame/base.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { router } from './frame/router'
import { vuetify } from './frame/theme'

createApp(App).use(createPinia()).use(router).use(vuetify).mount('#app')
