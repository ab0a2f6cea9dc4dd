import vue from '@vitejs/plugin-vue'
import { fileURLToPath } from 'node:url'
import vuetify from 'vite-plugin-vuetify'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true })],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  build: {
    target: 'es2022',
    assetsInlineLimit: 0,
    manifest: true,
    rollupOptions: {
      // The service worker stands at the root, or it would not be asked about pages.
      input: { index: fileURLToPath(new URL('./index.html', import.meta.url)), sw: fileURLToPath(new URL('./src/bench/worker.ts', import.meta.url)) },
      output: { entryFileNames: (chunk) => (chunk.name === 'sw' ? 'sw.js' : 'assets/[name]-[hash].js') },
    },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8470' } },
  test: { environment: 'node', include: ['src/**/*.test.ts'], environmentOptions: { happyDOM: { url: 'http://localhost/' } }, server: { deps: { inline: ['vuetify'] } } },
})
