import { createRouter, createWebHistory } from 'vue-router'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/overview' },
    {
      path: '/overview',
      name: 'overview',
      component: () => import('@/features/overview/OverviewView.vue'),
    },
    {
      path: '/catalog',
      name: 'catalog',
      component: () => import('@/features/catalog/CatalogView.vue'),
    },
    {
      path: '/lineage/:dataset(\\d+)?',
      name: 'lineage',
      component: () => import('@/features/lineage/LineageView.vue'),
    },
    {
      path: '/change/baselines',
      name: 'baselines',
      meta: { place: 'change' },
      component: () => import('@/features/change/BaselinesView.vue'),
    },
    {
      path: '/change',
      name: 'change',
      component: () => import('@/features/change/ChangeView.vue'),
    },
    {
      path: '/runs',
      name: 'runs',
      component: () => import('@/features/runs/RunsView.vue'),
    },
    {
      path: '/runs/of/:dataset(\\d+)',
      name: 'runs of a dataset',
      meta: { place: 'runs' },
      component: () => import('@/features/runs/DatasetRunsView.vue'),
    },
    {
      path: '/runs/job/:job(\\d+)',
      name: 'job',
      meta: { place: 'runs' },
      component: () => import('@/features/runs/JobView.vue'),
    },
    {
      path: '/runs/:run([0-9a-f-]{36})/road',
      name: 'road of a run',
      meta: { place: 'runs' },
      component: () => import('@/features/runs/RoadView.vue'),
    },
    {
      path: '/sources/add',
      name: 'add source',
      meta: { place: 'sources' },
      component: () => import('@/features/sources/AddSourceView.vue'),
    },
    {
      path: '/sources/:source(\\d+)?',
      name: 'sources',
      component: () => import('@/features/sources/SourcesView.vue'),
    },
    { path: '/:rest(.*)*', name: 'missing', component: () => import('./MissingView.vue') },
  ],
})

router.afterEach((to) => {
  const name = String(to.name ?? '')
  document.title = name ? `${name[0]?.toUpperCase()}${name.slice(1)} · Jalan` : 'Jalan'
})
