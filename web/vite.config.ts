import react from '@vitejs/plugin-react';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [react()],
  // Tests hold a page of the documentation, and models of the demo.
  server: { fs: { allow: ['.', '../docs', '../demo'] } },
  assetsInclude: ['**/*.glb'],
  // Styles are read by a test, and are otherwise empty in tests. A busy machine is no failure.
  test: { css: { include: [/\.css/] }, testTimeout: 60_000 },
  build: { target: 'es2023', chunkSizeWarningLimit: 1500, modulePreload: { polyfill: false }, assetsInlineLimit: 0 },
});
