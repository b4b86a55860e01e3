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
    // The computation does nothing by being loaded: what a page does not use of it waits for the page that does.
    rolldownOptions: { treeshake: { moduleSideEffects: [{ test: /\/packages\/core\//, sideEffects: false }] } },
  },
})
