import vue from '@vitejs/plugin-vue';
import { defineConfig } from 'vite';

export default defineConfig({
  base: '/viewer/',
  plugins: [vue()],
  // Components are written with the composition API alone.
  define: { __VUE_OPTIONS_API__: false },
  build: {
    minify: 'terser',
    terserOptions: { compress: { passes: 2 } },
    target: 'es2022',
    chunkSizeWarningLimit: 2500,
  },
});
