import react from '@vitejs/plugin-react'
import { loadEnv } from 'vite'
import { defineConfig } from 'vitest/config'

const ASKED = ['/api', '/alive', '/enter', '/sign-in', '/sign-out']

// The policy of the page refuses data: and blob: scripts, so nothing is inlined; worklets and workers are plain files.
export default defineConfig(({ mode }) => {
  // `./fendo dev` says where the server is: what is not the application's own source is asked there.
  const { FENDO_SERVER: target } = loadEnv(mode, '.', 'FENDO_')
  return {
    plugins: [react()],
    base: target ? '/' : '/static/',
    server: target ? { proxy: Object.fromEntries(ASKED.map((path) => [path, { target, changeOrigin: false }])) } : {},
    worker: { format: 'es' },
    build: { manifest: 'manifest.json', assetsInlineLimit: 0, target: 'es2022', chunkSizeWarningLimit: 700 },
    test: { maxWorkers: 2, testTimeout: 30_000, include: ['src/**/*.test.ts', 'src/**/*.test.tsx'] },
  }
})
