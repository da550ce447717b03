import react from '@vitejs/plugin-react'
import { defineConfig } from 'vitest/config'

// The policy of the page refuses data: and blob: scripts, so nothing is inlined; worklets and workers are plain files.
export default defineConfig({
  plugins: [react()],
  base: '/static/',
  worker: { format: 'es' },
  build: { manifest: 'manifest.json', assetsInlineLimit: 0, target: 'es2022', chunkSizeWarningLimit: 700 },
  test: { maxWorkers: 2, testTimeout: 30_000, include: ['src/**/*.test.ts', 'src/**/*.test.tsx'] },
})
