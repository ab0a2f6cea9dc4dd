import './frame/reset.css'
import '@fontsource-variable/atkinson-hyperlegible-mono/index.css'
import '@fontsource-variable/atkinson-hyperlegible-next/index.css'
import 'vuetify/styles/core'
import './frame/base.css'
import { createApp } from 'vue'
import App from './App.vue'
import { router } from './frame/router'
import { vuetify } from './frame/theme'
import { holdPresses } from './ui/press'

// Only over TLS, or on this very machine, do browsers take one.
if (import.meta.env.PROD && 'serviceWorker' in navigator)
  void navigator.serviceWorker.register('/sw.js', { type: 'module' }).catch(() => undefined)
holdPresses(document)
createApp(App).use(router).use(vuetify).mount('#app')
