import '@fontsource/source-sans-3/400.css';
import '@fontsource/source-sans-3/600.css';
import 'ant-design-vue/dist/reset.css';
import { createApp } from 'vue';
import { cssVariables, dark, fontFamily, light } from '@underbell/core/theme';
import App from './App.vue';
import { router } from './platform/router.ts';
import './style.css';

const sheet = document.createElement('style');
sheet.textContent = `:root { --font: ${fontFamily}; ${cssVariables(light)} } @media (prefers-color-scheme: dark) { :root { ${cssVariables(dark)} } }`;
document.head.append(sheet);

createApp(App).use(router).mount('#app');
