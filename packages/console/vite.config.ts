import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  // Fonts stay files of their own: the policy has no data: for them.
  build: { outDir: 'dist', assetsInlineLimit: 0, chunkSizeWarningLimit: 900, modulePreload: { polyfill: false } },
});
