import react from '@vitejs/plugin-react';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [react()],
  worker: { format: 'es' },
  build: {
    outDir: '../octaplan/server/site',
    emptyOutDir: true,
    license: { fileName: 'licences.txt' },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8321' } },
  test: { include: ['src/**/*.test.ts'] },
});
