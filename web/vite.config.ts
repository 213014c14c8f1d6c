import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import tailwindcss from '@tailwindcss/vite'
import vue from '@vitejs/plugin-vue'
import type { Plugin } from 'vite'
import { defineConfig } from 'vitest/config'

// In development the pages come from Vite, and the API from a running `./reditus serve`.
const api = 'http://127.0.0.1:8460'

const require = createRequire(import.meta.url)

/** What the page of the API is made of, from its npm package, beside ours: nothing is fetched from elsewhere. */
const apiDocs: Plugin = {
  name: 'api-docs',
  generateBundle() {
    for (const name of ['swagger-ui.css', 'swagger-ui-bundle.js']) {
      const source = readFileSync(require.resolve(`swagger-ui-dist/${name}`))
      this.emitFile({ type: 'asset', fileName: `api-docs/${name}`, source })
    }
  },
}

export default defineConfig({
  plugins: [vue(), tailwindcss(), apiDocs],
  server: { host: '127.0.0.1', proxy: { '/api': { target: api, changeOrigin: true } } },
  build: { target: 'es2023', chunkSizeWarningLimit: 600 },
  test: {
    environment: 'node',
    include: ['src/**/*.test.ts'],
    testTimeout: 20_000,
    // A process for each file would cost several times what the tests themselves take; they leave nothing behind.
    isolate: false,
    unstubGlobals: true,
    restoreMocks: true,
  },
})
