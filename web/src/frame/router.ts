import { createRouter, createWebHistory } from 'vue-router'
import { health } from '@/api/health'
import { session } from './session'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/machines' },
    { path: '/sign-in', component: () => import('./SignIn.vue'), meta: { open: true } },
    { path: '/machines', component: () => import('@/machines/MachinesView.vue') },
    { path: '/machines/new', component: () => import('@/machines/IntakeView.vue') },
    {
      path: '/machines/:id',
      component: () => import('@/stations/MachineView.vue'),
      props: true,
      children: [
        { path: '', redirect: (to) => `/machines/${to.params.id}/survey` },
        { path: 'survey', component: () => import('@/stations/SurveyStation.vue') },
        { path: 'fit', component: () => import('@/stations/fit/FitStation.vue') },
      ],
    },
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
