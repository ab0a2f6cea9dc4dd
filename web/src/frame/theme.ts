/** Vuetify and the style sheets' variables, for the theme that the person chose. */
import { ref, watchEffect } from 'vue'
import { createVuetify } from 'vuetify'
import { tokens, type ThemeName } from './tokens'

const KEPT_AS = 'umbrak-theme'

function preferred(): ThemeName {
  const kept = localStorage.getItem(KEPT_AS)
  if (kept === 'light' || kept === 'dark') return kept
  return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light'
}

export const themeName = ref<ThemeName>(preferred())

export function otherTheme(): void {
  themeName.value = themeName.value === 'dark' ? 'light' : 'dark'
  localStorage.setItem(KEPT_AS, themeName.value)
}

function vuetifyTheme(name: ThemeName) {
  const t = tokens[name]
  return {
    dark: name === 'dark',
    colors: {
      background: t.paper,
      surface: t.sheet,
      primary: t.umber,
      'on-primary': t['on-umber'],
      error: t.stop,
      'on-background': t.ink,
      'on-surface': t.ink,
    },
    variables: { 'medium-emphasis-opacity': 0.75, 'border-color': t.ink, 'border-opacity': 0.16 },
  }
}

export const vuetify = createVuetify({
  theme: {
    defaultTheme: themeName.value,
    cspNonce: document.querySelector<HTMLMetaElement>('meta[name=csp-nonce]')?.content,
    themes: { light: vuetifyTheme('light'), dark: vuetifyTheme('dark') },
  },
})

watchEffect(() => {
  vuetify.theme.change(themeName.value)
  for (const [name, colour] of Object.entries(tokens[themeName.value])) {
    document.documentElement.style.setProperty(`--${name}`, colour)
  }
  document.documentElement.dataset.theme = themeName.value
})
