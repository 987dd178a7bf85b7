import vue from '@vitejs/plugin-vue';
import { defineConfig, type Plugin } from 'vite';
import { compression } from 'vite-plugin-compression2';

/** The letters that nearly every page has, in both weights: a page that changes its letters is laid out again. */
const letters = /source-sans-3-latin-[46]00-normal.*\.woff2$/;

/** What every page of figures needs is on its way before the first script asks for it. */
function fetchAhead(modules: readonly string[]): Plugin {
  return {
    name: 'fetch-ahead',
    transformIndexHtml: {
      order: 'post',
      handler(html, { bundle }) {
        const chunks = Object.values(bundle ?? {}).filter((one) => one.type === 'chunk');
        const wanted = new Set<string>();
        const add = (fileName: string) => {
          if (wanted.has(fileName)) return;
          wanted.add(fileName);
          chunks.find((one) => one.fileName === fileName)?.imports.forEach(add);
        };
        for (const chunk of chunks)
          if (modules.some((name) => chunk.facadeModuleId?.endsWith(name))) add(chunk.fileName);
        const fonts = Object.keys(bundle ?? {}).filter((fileName) => letters.test(fileName));
        const ahead = (fileName: string, attrs: Record<string, string>) => ({
          tag: 'link',
          attrs: { ...attrs, crossorigin: '', href: `/viewer/${fileName}` },
          injectTo: 'head' as const,
        });
        return [
          ...fonts.map((fileName) => ahead(fileName, { rel: 'preload', as: 'font', type: 'font/woff2' })),
          ...[...wanted]
            .filter((fileName) => !html.includes(fileName))
            .map((fileName) => ahead(fileName, { rel: 'modulepreload' })),
        ];
      },
    },
  };
}

export default defineConfig({
  base: '/viewer/',
  plugins: [vue(), fetchAhead(['/src/App.vue', '/src/figure/charts.ts']), compression({ algorithms: ['gzip'] })],
  // Components are written with the composition API alone.
  define: { __VUE_OPTIONS_API__: false },
  build: {
    minify: 'terser',
    terserOptions: { compress: { passes: 2 } },
    target: 'es2022',
    chunkSizeWarningLimit: 2500,
    // One small sheet beside the page rather than one behind each part of the script.
    cssCodeSplit: false,
  },
});
