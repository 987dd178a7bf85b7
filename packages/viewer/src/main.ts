import '@fontsource/source-sans-3/400.css';
import '@fontsource/source-sans-3/600.css';
import { createApp } from 'vue';
import { cssVariables, dark, fontFamily, light } from '@underbell/core/theme';
import App from './App.vue';
import PreviewPage from './view/PreviewPage.vue';
import SignInWindow from './session/SignInWindow.vue';
import './style.css';

const root = document.getElementById('app')!;
const sheet = document.createElement('style');
sheet.textContent = `:root { --font: ${fontFamily}; ${cssVariables(light)} } @media (prefers-color-scheme: dark) { :root { ${cssVariables(dark)} } }`;
document.head.append(sheet);

if (root.dataset['window'] === 'sign-in') {
  createApp(SignInWindow).mount(root);
} else if (root.dataset['window'] === 'preview') {
  createApp(PreviewPage).mount(root);
} else {
  createApp(App, {
    placement: root.dataset['placement'] ?? '',
    origins: (root.dataset['origins'] ?? '').split(' ').filter(Boolean),
  }).mount(root);
}
