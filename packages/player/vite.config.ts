import { defineConfig } from 'vite';
import { compression } from 'vite-plugin-compression2';

export default defineConfig({
  base: '/screen/',
  plugins: [compression({ algorithms: ['gzip'] })],
  build: {
    target: 'es2022',
    chunkSizeWarningLimit: 1500,
  },
});
