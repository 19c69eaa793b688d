import optimizeLocales from '@react-aria/optimize-locales-plugin'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [react(), { ...optimizeLocales.vite({ locales: ['en-US'] }), enforce: 'pre' }],
  html: { cspNonce: '__NONCE__' },
  build: { outDir: 'dist', assetsDir: 'files', emptyOutDir: true, assetsInlineLimit: 0, manifest: 'files.json' },
  server: { proxy: { '/api': 'http://127.0.0.1:8080' } },
})
