import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [vue()],
  build: {
    outDir: '../../dist/web',
    emptyOutDir: true,
    target: 'es2023',
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 900,
  },
})
