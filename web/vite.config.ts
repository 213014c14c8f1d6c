import tailwindcss from '@tailwindcss/vite'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

// In development the pages come from Vite, and the API from a running `./reditus serve`.
const api = 'http://127.0.0.1:8460'

export default defineConfig({
  plugins: [vue(), tailwindcss()],
  server: { host: '127.0.0.1', proxy: { '/api': { target: api, changeOrigin: true } } },
  build: { target: 'es2023', chunkSizeWarningLimit: 600 },
  test: { environment: 'node', include: ['src/**/*.test.ts'] },
})
