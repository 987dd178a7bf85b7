<script setup lang="ts">
import { Button, ConfigProvider } from 'ant-design-vue';
import enGB from 'ant-design-vue/es/locale/en_GB';
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import BellMark from './platform/BellMark.vue';
import { componentTheme } from './platform/theme.ts';
import { showCount } from './platform/format.ts';
import { useScreenAlerts } from './screen/useScreenAlerts.ts';
import { useSession } from './session/useSession.ts';

const { person, isAuthor, signOut } = useSession();
const { wrongCount, look, stop } = useScreenAlerts();
// What somebody else was told is nothing to whoever signs in after them.
watch(
  () => (isAuthor.value ? person.value?.email : undefined),
  (maker) => {
    stop();
    if (maker !== undefined) void look();
  },
  { immediate: true },
);
const route = useRoute();
const router = useRouter();
const darkness = window.matchMedia('(prefers-color-scheme: dark)');
const isDark = ref(darkness.matches);
const follow = (event: MediaQueryListEvent) => (isDark.value = event.matches);
darkness.addEventListener('change', follow);
onBeforeUnmount(() => darkness.removeEventListener('change', follow));

const places = computed(() => [
  { to: '/', title: 'Home' },
  { to: '/reports', title: 'Reports' },
  { to: '/boards', title: 'Boards' },
  ...(isAuthor.value
    ? [
        { to: '/placements', title: 'Placements' },
        { to: '/screens', title: 'Screens' },
        { to: '/data', title: 'Data' },
        { to: '/access/users', title: 'Access' },
      ]
    : []),
  ...(isAuthor.value ? [{ to: '/bursts', title: 'Bursts' }] : []),
  ...(person.value?.isAdministrator
    ? [
        { to: '/usage', title: 'Usage' },
        { to: '/operations', title: 'Operations' },
      ]
    : []),
]);
const theme = computed(() => componentTheme(isDark.value));
/** Pages that belong to an entry, and have addresses of their own. */
const within: Readonly<Record<string, readonly string[]>> = {
  '/placements': ['/channels', '/chat-servers', '/apps'],
  '/screens': ['/media', '/playlists', '/pair'],
  '/access/users': ['/access'],
};
const isCurrent = (to: string) => {
  const at = (route.meta['place'] as string | undefined) ?? route.path;
  return to === '/' ? at === '/' : [to, ...(within[to] ?? [])].some((path) => at.startsWith(path));
};

async function leave(): Promise<void> {
  await signOut();
  await router.push({ name: 'sign-in' });
}
</script>

<template>
  <ConfigProvider :theme="theme" :locale="enGB">
    <a class="skip" href="#main">Skip to content</a>
    <header class="top">
      <RouterLink to="/" class="mark"><BellMark /> Under Bell</RouterLink>
      <nav v-if="person" aria-label="Main">
        <RouterLink
          v-for="place in places"
          :key="place.to"
          :to="place.to"
          :aria-current="isCurrent(place.to) ? 'page' : undefined"
          >{{ place.title
          }}<span v-if="place.to === '/screens' && wrongCount > 0" class="count"
            ><span class="unseen">, </span>{{ showCount(wrongCount) }}<span class="unseen"> with problems</span></span
          ></RouterLink
        >
      </nav>
      <div v-if="person" class="who">
        <RouterLink to="/account">{{ person.name }}</RouterLink>
        <Button size="small" @click="leave">Sign out</Button>
      </div>
    </header>
    <main id="main" tabindex="-1"><RouterView /></main>
  </ConfigProvider>
</template>

<style scoped>
.top {
  display: flex;
  align-items: stretch;
  gap: 2rem;
  padding: 0 2rem;
  background: var(--raised);
  border-bottom: 1px solid var(--line);
  min-height: 3.25rem;
  flex-wrap: wrap;
}
.mark {
  display: flex;
  align-items: center;
  gap: 0.5rem;
  font-weight: 600;
  font-size: 1.1rem;
  color: var(--ink);
}
.mark svg {
  width: 26px;
  height: 26px;
}
nav {
  display: flex;
  gap: 0.3rem;
}
nav a,
.mark {
  text-decoration: none;
}
nav a {
  display: flex;
  align-items: center;
  padding: 0 0.9rem;
  color: var(--ink);
  border-bottom: 3px solid transparent;
  border-top: 3px solid transparent;
}
.count {
  margin-left: 0.4rem;
  padding: 0 0.45rem;
  border-radius: 0.7rem;
  background: var(--signal);
  color: var(--raised);
  font-size: 0.8rem;
  font-weight: 600;
  line-height: 1.3rem;
}
nav a[aria-current] {
  border-bottom-color: var(--brass);
  font-weight: 600;
}
.who {
  margin-left: auto;
  display: flex;
  align-items: center;
  gap: 0.8rem;
  color: var(--quiet);
}
main {
  max-width: 84rem;
  margin: 0 auto;
  padding: 1.6rem 2rem 4rem;
  outline: none;
}
.skip {
  position: absolute;
  left: -100rem;
}
.skip:focus {
  left: 1rem;
  top: 1rem;
  z-index: 10;
  background: var(--raised);
  padding: 0.5rem;
}
@media (max-width: 48rem) {
  .top {
    gap: 0 1rem;
    padding: 0 1rem;
  }
  nav {
    order: 3;
    width: 100%;
    overflow-x: auto;
  }
  nav a {
    padding: 0.5rem 0.7rem;
    white-space: nowrap;
  }
  .who a {
    max-width: 6rem;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  main {
    padding: 1rem 1rem 3rem;
  }
}
</style>
