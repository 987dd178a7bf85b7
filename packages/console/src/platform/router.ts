import { createRouter, createWebHistory } from 'vue-router';
import { call } from './api.ts';
import { useSession } from '../session/useSession.ts';

/** The console's pages, in the order of the work. */
export const router = createRouter({
  history: createWebHistory('/console/'),
  routes: [
    { path: '/', name: 'start', component: () => import('../start/StartPage.vue'), meta: { title: 'Start' } },
    {
      path: '/reports',
      name: 'reports',
      component: () => import('../report/ReportsPage.vue'),
      meta: { title: 'Reports' },
    },
    {
      path: '/reports/publish',
      name: 'publish',
      component: () => import('../report/PublishPage.vue'),
      meta: { title: 'Publish' },
    },
    {
      path: '/reports/:name/edit',
      name: 'edit-report',
      component: () => import('../report/PublishPage.vue'),
      props: true,
      meta: { title: 'Change a report' },
    },
    {
      path: '/reports/:name',
      name: 'report',
      component: () => import('../report/ReportPage.vue'),
      props: true,
      meta: { title: 'Report' },
    },
    {
      path: '/reports/:name/see',
      name: 'see',
      component: () => import('../see/SeePage.vue'),
      props: true,
      meta: { title: 'See as' },
    },
    {
      path: '/reports/:name/compare/:from/:to',
      name: 'compare',
      component: () => import('../report/ComparePage.vue'),
      props: true,
      meta: { title: 'Editions compared' },
    },
    { path: '/boards', name: 'boards', component: () => import('../board/BoardsPage.vue'), meta: { title: 'Boards' } },
    {
      path: '/boards/:name',
      name: 'board',
      component: () => import('../board/BoardPage.vue'),
      props: true,
      meta: { title: 'Board' },
    },
    {
      path: '/folders/:name',
      name: 'folder',
      component: () => import('../folder/FolderPage.vue'),
      props: true,
      meta: { title: 'Folder' },
    },
    { path: '/places', name: 'places', component: () => import('../place/PlacesPage.vue'), meta: { title: 'Places' } },
    {
      path: '/places/new',
      name: 'new-placement',
      component: () => import('../place/PlacementPage.vue'),
      meta: { title: 'Place something' },
    },
    {
      path: '/places/channels',
      name: 'channels',
      component: () => import('../channel/ChannelsPage.vue'),
      meta: { title: 'Channels' },
    },
    {
      path: '/places/channels/new',
      name: 'new-tab',
      component: () => import('../channel/TabPage.vue'),
      meta: { title: 'Add a tab' },
    },
    {
      path: '/places/channels/:name',
      name: 'tab',
      component: () => import('../channel/TabPage.vue'),
      props: true,
      meta: { title: 'Tab' },
    },
    {
      path: '/places/chats',
      name: 'chats',
      component: () => import('../channel/ChatsPage.vue'),
      meta: { title: 'Chats' },
    },
    {
      path: '/places/apps',
      name: 'apps',
      component: () => import('../app/AppsPage.vue'),
      meta: { title: 'Business apps' },
    },
    {
      path: '/places/apps/:name',
      name: 'app',
      component: () => import('../app/AppPage.vue'),
      props: true,
      meta: { title: 'Business app' },
    },
    {
      path: '/places/:name/record',
      name: 'record',
      component: () => import('../place/RecordPage.vue'),
      props: true,
      meta: { title: 'Beside a record' },
    },
    {
      path: '/places/:name/element',
      name: 'try-element',
      component: () => import('../place/TryElementPage.vue'),
      props: true,
      meta: { title: 'The element' },
    },
    {
      path: '/places/:name',
      name: 'placement',
      component: () => import('../place/PlacementPage.vue'),
      props: true,
      meta: { title: 'Place' },
    },
    {
      path: '/people/handed-out',
      name: 'handed-out',
      component: () => import('../open/OpenPage.vue'),
      meta: { title: 'Everything handed out' },
    },
    {
      path: '/people/log',
      name: 'log',
      component: () => import('../access/AuditPage.vue'),
      meta: { title: 'Log of changes' },
    },
    { path: '/bin', name: 'bin', component: () => import('../folder/BinPage.vue'), meta: { title: 'Bin' } },
    {
      path: '/data/upload',
      name: 'upload',
      component: () => import('../dataset/UploadPage.vue'),
      props: (route) => (typeof route.query['dataset'] === 'string' ? { dataset: route.query['dataset'] } : {}),
      meta: { title: 'Upload a file' },
    },
    {
      path: '/data/refreshes',
      name: 'refreshes',
      component: () => import('../refresh/RefreshesPage.vue'),
      meta: { title: 'Refreshes' },
    },
    {
      path: '/data/followed',
      name: 'followed',
      component: () => import('../follow/FollowedPage.vue'),
    },
    {
      path: '/data/sources',
      name: 'sources',
      component: () => import('../source/SourcesPage.vue'),
      meta: { title: 'Sources' },
    },
    { path: '/data', name: 'data', component: () => import('../dataset/DatasetsPage.vue'), meta: { title: 'Data' } },
    {
      path: '/data/:name',
      name: 'dataset',
      component: () => import('../dataset/DatasetPage.vue'),
      props: true,
      meta: { title: 'Dataset' },
    },
    { path: '/people', name: 'people', component: () => import('../access/PeoplePage.vue'), meta: { title: 'People' } },
    {
      path: '/people/groups',
      name: 'groups',
      component: () => import('../access/GroupsPage.vue'),
      meta: { title: 'Groups' },
    },
    {
      path: '/people/attributes',
      name: 'attributes',
      component: () => import('../access/AttributesPage.vue'),
      meta: { title: 'Attributes' },
    },
    {
      path: '/people/programs',
      name: 'programs',
      component: () => import('../token/ClientsPage.vue'),
      meta: { title: 'Programs' },
    },
    {
      path: '/people/requests',
      name: 'requests',
      component: () => import('../access/RequestsPage.vue'),
      meta: { title: 'Requests' },
    },
    {
      path: '/accept',
      name: 'accept',
      component: () => import('../access/AcceptPage.vue'),
      meta: { title: 'Invitation', isOpen: true },
    },
    {
      path: '/holidays',
      name: 'holidays',
      component: () => import('../schedule/HolidaysPage.vue'),
      meta: { title: 'Holidays', place: '/sending' },
    },
    { path: '/costs', name: 'costs', component: () => import('../meter/MeterPage.vue'), meta: { title: 'Costs' } },
    {
      path: '/destinations',
      name: 'destinations',
      component: () => import('../deliver/DestinationsPage.vue'),
      meta: { title: 'Destinations', place: '/sending' },
    },
    {
      path: '/templates',
      name: 'templates',
      component: () => import('../template/TemplatesPage.vue'),
      meta: { title: 'Prepared workbooks', place: '/sending' },
    },
    {
      path: '/sending',
      name: 'sending',
      component: () => import('../burst/BurstsPage.vue'),
      meta: { title: 'Sending' },
    },
    {
      path: '/sending/new',
      name: 'new-burst',
      component: () => import('../burst/BurstEditor.vue'),
      meta: { title: 'New burst' },
    },
    {
      path: '/sending/:name/edit',
      name: 'edit-burst',
      component: () => import('../burst/BurstEditor.vue'),
      props: true,
      meta: { title: 'Change a burst' },
    },
    {
      path: '/lists',
      name: 'lists',
      component: () => import('../list/ListsPage.vue'),
      meta: { title: 'Recipient lists', place: '/sending' },
    },
    {
      path: '/lists/:name',
      name: 'list',
      component: () => import('../list/ListPage.vue'),
      props: true,
      meta: { title: 'Recipient list', place: '/sending' },
    },
    {
      path: '/sending/:name',
      name: 'burst',
      component: () => import('../burst/BurstPage.vue'),
      props: true,
      meta: { title: 'Burst' },
    },
    {
      path: '/sending/:name/to/:recipient',
      name: 'recipient',
      component: () => import('../burst/RecipientPage.vue'),
      props: true,
      meta: { title: 'Recipient' },
    },
    {
      path: '/sign-in',
      name: 'sign-in',
      component: () => import('../session/SignInPage.vue'),
      meta: { title: 'Sign in', isOpen: true },
    },
    {
      path: '/first-visit',
      name: 'first-visit',
      component: () => import('../session/FirstVisitPage.vue'),
      meta: { title: 'First visit', isOpen: true },
    },
    { path: '/:rest(.*)', name: 'nowhere', component: () => import('./NowherePage.vue'), meta: { title: 'Not found' } },
  ],
});

const session = useSession();

router.beforeEach(async (to) => {
  document.title = `${String(to.meta['title'])} – Under Bell`;
  if (session.person.value || to.meta['isOpen'] || (await session.load())) return true;
  const { isNeeded } = await call<{ isNeeded: boolean }>('GET', '/api/v1/setup');
  return isNeeded ? { name: 'first-visit' } : { name: 'sign-in', query: { then: to.fullPath } };
});
