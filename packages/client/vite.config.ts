import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

const isolation = { 'Cross-Origin-Opener-Policy': 'same-origin', 'Cross-Origin-Embedder-Policy': 'require-corp' };

export default defineConfig({
  plugins: [react()],
  worker: { format: 'es' },
  build: {
    target: 'es2023',
    sourcemap: false,
    chunkSizeWarningLimit: 2500,
    // A small wasm file would become a data: URL, which the content security policy blocks.
    assetsInlineLimit: (file) => (file.endsWith('.wasm') ? false : undefined),
  },
  server: { headers: isolation, proxy: { '/api': { target: 'http://127.0.0.1:4780', changeOrigin: true } } },
});
