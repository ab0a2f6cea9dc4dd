import vue from '@vitejs/plugin-vue'
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { brotliCompressSync, constants, gzipSync } from 'node:zlib'
import type { Plugin } from 'vite'
import vuetify from 'vite-plugin-vuetify'
import { defineConfig } from 'vitest/config'

/** Writes beside each script and style what goes over the wire: the server compresses nothing of them itself. */
function precompressed(): Plugin {
  const place = fileURLToPath(new URL('./dist/assets/', import.meta.url))
  return {
    name: 'precompressed',
    apply: 'build',
    closeBundle() {
      for (const name of readdirSync(place).filter((n) => /\.(js|css|svg)$/.test(n))) {
        const raw = readFileSync(place + name)
        if (raw.length < 1000) continue
        writeFileSync(
          `${place}${name}.br`,
          brotliCompressSync(raw, { params: { [constants.BROTLI_PARAM_QUALITY]: 11 } }),
        )
        writeFileSync(`${place}${name}.gz`, gzipSync(raw, { level: 9 }))
      }
    },
  }
}

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true }), precompressed()],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  // Nothing here is written with options: without them the library is smaller.
  define: { __VUE_OPTIONS_API__: 'false' },
  build: {
    target: 'es2022',
    assetsInlineLimit: 0,
    rollupOptions: {
      // The service worker stands at the root, or it would not be asked about pages.
      input: {
        index: fileURLToPath(new URL('./index.html', import.meta.url)),
        sw: fileURLToPath(new URL('./src/bench/worker.ts', import.meta.url)),
      },
      output: {
        entryFileNames: (chunk) => (chunk.name === 'sw' ? 'sw.js' : 'assets/[name]-[hash].js'),
        // What every page needs, and what machines' lists share, comes in one piece each: small files cost a request and compress worse.
        codeSplitting: {
          groups: [
            { name: 'library', test: /node_modules\/(@vue|vue|vue-router)\// },
            { name: 'shared', test: /src\/(api|ui|frame|machines)\/[^/]+\.ts$/, minShareCount: 4 },
          ],
        },
      },
    },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8470' } },
  test: {
    environment: 'node',
    include: ['src/**/*.test.ts'],
    environmentOptions: { happyDOM: { url: 'http://localhost/' } },
    server: { deps: { inline: ['vuetify'] } },
  },
})
