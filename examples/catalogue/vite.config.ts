import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

/** The paths that the service answers, while the page is worked on: dunelight serve LIBRARY --no-token. */
const SERVICE = ['/session', '/prompts', '/trace', '/ask', '/openapi.json']

export default defineConfig({
  plugins: [react()],
  server: { port: 5312, proxy: Object.fromEntries(SERVICE.map((path) => [path, 'http://127.0.0.1:7120'])) },
  build: { chunkSizeWarningLimit: 1500, outDir: '../../packages/serve/dist/service-pages', emptyOutDir: true },
})
