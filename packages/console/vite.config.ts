import vue from '@vitejs/plugin-vue';
import { defineConfig } from 'vite';

export default defineConfig({
  base: '/console/',
  plugins: [vue()],
  build: { target: 'es2022', chunkSizeWarningLimit: 2500 },
});
