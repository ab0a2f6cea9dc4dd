import { createRouter, createWebHistory } from 'vue-router'
import { health } from '@/api/health'
import { session } from './session'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/desk' },
    { path: '/desk', component: () => import('@/desk/DeskView.vue') },
    { path: '/sign-in', component: () => import('./SignIn.vue'), meta: { open: true } },
    { path: '/machines', component: () => import('@/machines/MachinesView.vue') },
    { path: '/rounds', component: () => import('@/rounds/RoundsView.vue') },
    { path: '/rounds/:id', component: () => import('@/rounds/RoundView.vue'), props: true },
    { path: '/shelf', component: () => import('@/shelf/ShelfView.vue') },
    { path: '/shelf/buy', component: () => import('@/shelf/BuyView.vue') },
    { path: '/shelf/orders', component: () => import('@/shelf/OrdersView.vue') },
    { path: '/shelf/modules/:serial', component: () => import('@/shelf/ModuleView.vue'), props: true },
    { path: '/shelf/parts', component: () => import('@/shelf/PartsView.vue') },
    { path: '/shelf/parts/:number', component: () => import('@/shelf/PartView.vue'), props: true },
    { path: '/sheets', component: () => import('@/sheets/LibraryView.vue') },
    { path: '/sheets/drafts/:draftId', component: () => import('@/sheets/SheetView.vue'), props: true },
    { path: '/sheets/:hash', component: () => import('@/sheets/SheetView.vue'), props: true },
    { path: '/notes', component: () => import('@/notes/NotesView.vue') },
    { path: '/people', component: () => import('@/people/PeopleView.vue') },
    { path: '/machines/by-hand', redirect: '/machines/new' },
    { path: '/machines/many', component: () => import('@/machines/ManyView.vue') },
    { path: '/machines/new', component: () => import('@/machines/new/NewMachineView.vue') },
    {
      path: '/machines/:id',
      component: () => import('@/stations/MachineView.vue'),
      props: true,
      children: [
        { path: '', redirect: (to) => `/machines/${to.params.id}/survey` },
        { path: 'survey', component: () => import('@/stations/SurveyStation.vue') },
        { path: 'ceiling', component: () => import('@/stations/ceiling/CeilingStation.vue') },
        { path: 'target', component: () => import('@/stations/target/TargetStation.vue') },
        { path: 'routes', component: () => import('@/stations/routes/RoutesStation.vue') },
        { path: 'history', component: () => import('@/stations/HistoryView.vue') },
        { path: 'fit', component: () => import('@/stations/fit/FitStation.vue') },
        { path: 'run', component: () => import('@/stations/run/RunStation.vue') },
        { path: 'proof', component: () => import('@/stations/proof/ProofStation.vue') },
      ],
    },
    // Without the frame: the whole screen is the step.
    { path: '/bench/:id', component: () => import('@/bench/BenchView.vue'), props: true, meta: { bare: true } },
    { path: '/:rest(.*)*', component: () => import('./NoSuchPage.vue'), meta: { open: true } },
  ],
})

router.beforeEach(async (to) => {
  while (!session.asked) {
    try {
      await session.load()
    } catch {
      await health.restored()
    }
  }
  if (!to.meta.open && !session.account) return { path: '/sign-in', query: { to: to.fullPath } }
  return true
})

/** The heading of what is shown now has the focus after navigation, so that keys and readers go on from there. */
router.afterEach((to, from) => {
  if (to.path === from.path || !from.matched.length) return
  const left = document.activeElement
  // In a machine its name stays; what is new is the station.
  const sought = to.matched.length > 1 ? '[data-station] h2' : 'main h1, main h2'
  const watch = new MutationObserver(look)
  const stop = setTimeout(() => watch.disconnect(), 10_000)
  function look(): void {
    // Somebody has gone on already.
    if (document.activeElement !== left && document.activeElement !== document.body) return end()
    const heading = document.querySelector<HTMLElement>(sought)
    if (!heading) return
    heading.tabIndex = -1
    heading.focus({ preventScroll: true })
    end()
  }
  function end(): void {
    clearTimeout(stop)
    watch.disconnect()
  }
  requestAnimationFrame(() => {
    watch.observe(document.body, { childList: true, subtree: true })
    look()
  })
})

// A page's script cannot be loaded: the server is away, or serves a newer build whose scripts have other names.
// Either way the page is asked for afresh as soon as there is an answer.
router.onError(async (_error, to) => {
  try {
    const answer = await fetch('/readyz', { cache: 'no-store' })
    if (!answer.ok) health.lost('The database cannot be reached.')
  } catch {
    health.lost('Umbrak cannot be reached.')
  }
  await health.restored()
  location.assign(to.fullPath)
})
