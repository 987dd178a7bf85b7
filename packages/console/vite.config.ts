import vue from '@vitejs/plugin-vue';
import { defineConfig } from 'vite';
import { compression } from 'vite-plugin-compression2';

export default defineConfig({
  base: '/console/',
  plugins: [vue(), compression({ algorithms: ['gzip'] })],
  build: { target: 'es2022', chunkSizeWarningLimit: 2500 },
});
