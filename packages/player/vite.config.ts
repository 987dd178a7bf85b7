import { defineConfig } from 'vite';
import { compression } from 'vite-plugin-compression2';

export default defineConfig({
  base: '/screen/',
  plugins: [compression({ algorithms: ['gzip'] })],
  build: {
    minify: 'terser',
    terserOptions: { compress: { passes: 2 } },
    target: 'es2022',
    chunkSizeWarningLimit: 1500,
  },
});
