import '@fontsource/source-sans-3/400.css';
import '@fontsource/source-sans-3/600.css';
import { createApp } from 'vue';
import './style.css';
import './table/table.css';
import './theme/useTheme.ts';
import { readAddress } from './view/address.ts';
import { askEarly, type Target } from './view/viewApi.ts';
import type { Host } from './host/host.ts';
import { HostChannel } from './host/hostChannel.ts';
import { wasHandedOver } from './session/receivedToken.ts';

/** Whether a page of this service itself is around; other hosts do not let one look. */
function isInOwnPage(): boolean {
  try {
    return window.parent !== window && window.parent.location.origin === window.location.origin;
  } catch {
    return false;
  }
}

/** The page around, as far as the placement or app names its origin; the console shows what hosts would. */
function hostOf(said: DOMStringMap): Host {
  const origins = (said['origins'] ?? '').split(' ').filter(Boolean);
  if (isInOwnPage()) origins.push(window.location.origin);
  return new HostChannel(origins);
}

const root = document.getElementById('app')!;
if (root.dataset['window'] === 'sign-in') {
  createApp((await import('./session/SignInWindow.vue')).default).mount(root);
} else if (root.dataset['window'] === 'preview') {
  createApp((await import('./view/PreviewPage.vue')).default).mount(root);
} else if (root.dataset['window'] === 'collection') {
  const shown = { name: root.dataset['collection']! };
  createApp((await import('./view/FolderPage.vue')).default, shown).mount(root);
} else if (root.dataset['window'] === 'panel') {
  const shown = { name: root.dataset['app']!, host: hostOf(root.dataset) };
  createApp((await import('./app/PanelPage.vue')).default, shown).mount(root);
} else if (root.dataset['window'] === 'pages') {
  const shown = { name: root.dataset['app']!, host: hostOf(root.dataset) };
  createApp((await import('./app/PagesPage.vue')).default, shown).mount(root);
} else if (root.dataset['window'] === 'home') {
  const { ChatHost } = await import('./host/chatHost.ts');
  const shown = { host: new ChatHost(root.dataset) };
  createApp((await import('./view/HomePage.vue')).default, shown).mount(root);
} else {
  const { placement, report, board, key } = root.dataset;
  const target: Target =
    board !== undefined
      ? { kind: 'board', name: board }
      : report !== undefined
        ? { kind: 'report', name: report }
        : { kind: 'placement', name: placement ?? '' };
  // A public link is the key itself; no page around it has another.
  const access = key === undefined ? undefined : { token: key };
  let host: Host;
  if (root.dataset['chat'] !== undefined) host = new (await import('./host/chatHost.ts')).ChatHost(root.dataset);
  else if (wasHandedOver()) host = new (await import('./host/openerHost.ts')).OpenerHost();
  else {
    askEarly(target, readAddress().question, access);
    host = hostOf(root.dataset);
  }
  const { default: App } = await import('./App.vue');
  const shown = { target, access, host };
  createApp(App, shown).mount(root);
}
