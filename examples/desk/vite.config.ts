import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [react()],
  // The packages' own sources: no build is needed to work on them and on the page together.
  resolve: { conditions: ['@dunelight/source', 'module', 'browser', 'development|production'] },
  worker: { format: 'es' },
  // While the page is worked on: dunelight open LIBRARY --port 7119 answers, and its key goes behind the # here too.
  server: { fs: { allow: ['../..'] }, port: 5311, proxy: { '/api': 'http://127.0.0.1:7119' } },
  build: { chunkSizeWarningLimit: 3000, outDir: '../../packages/cli/dist/pages', emptyOutDir: true },
})
