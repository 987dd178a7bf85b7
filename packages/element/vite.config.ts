import { defineConfig } from 'vite';

export default defineConfig({
  build: {
    lib: { entry: 'src/index.ts', formats: ['es'], fileName: () => 'element.js' },
    target: 'es2022',
    minify: true,
  },
});
