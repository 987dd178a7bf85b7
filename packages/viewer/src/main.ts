import '@fontsource/source-sans-3/400.css';
import '@fontsource/source-sans-3/600.css';
import { createApp } from 'vue';
import App from './App.vue';
import PreviewPage from './view/PreviewPage.vue';
import SignInWindow from './session/SignInWindow.vue';
import './style.css';
import './table/table.css';
import './theme/useTheme.ts';

const root = document.getElementById('app')!;
if (root.dataset['window'] === 'sign-in') {
  createApp(SignInWindow).mount(root);
} else if (root.dataset['window'] === 'preview') {
  createApp(PreviewPage).mount(root);
} else {
  const { placement, report, board } = root.dataset;
  const target =
    board !== undefined
      ? { kind: 'board', name: board }
      : report !== undefined
        ? { kind: 'report', name: report }
        : { kind: 'placement', name: placement ?? '' };
  createApp(App, { target, origins: (root.dataset['origins'] ?? '').split(' ').filter(Boolean) }).mount(root);
}
