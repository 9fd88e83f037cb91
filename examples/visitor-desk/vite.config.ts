import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [react()],
  // The packages' own sources: no build is needed to work on them and on the page together.
  resolve: { conditions: ['@dunelight/source', 'module', 'browser', 'development|production'] },
  server: { fs: { allow: ['../..'] }, port: 5313 },
  preview: { port: 5313 },
  build: { chunkSizeWarningLimit: 2000 },
})
