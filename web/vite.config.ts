import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  // Tests hold a page of the documentation.
  server: { fs: { allow: ['.', '../docs'] } },
  build: { target: 'es2023', chunkSizeWarningLimit: 1500, modulePreload: { polyfill: false }, assetsInlineLimit: 0 },
});
