import { createRouter, createWebHistory } from 'vue-router'
// The view that has to open fast comes with the page itself; another file would be requested only once this one has run.
import WorkbenchView from './views/WorkbenchView.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'archives', component: () => import('./views/ArchivesView.vue') },
    {
      path: '/investigations',
      name: 'investigations',
      component: () => import('./views/InvestigationsView.vue'),
    },
    {
      path: '/investigations/:id',
      name: 'investigation',
      component: () => import('./views/InvestigationView.vue'),
    },
    { path: '/files', name: 'files', component: () => import('./views/FilesView.vue') },
    { path: '/recorders', name: 'recorders', component: () => import('./views/RecordersView.vue') },
    { path: '/counters', name: 'counters', component: () => import('./views/CountersView.vue') },
    { path: '/archives/:id/compare', name: 'compare', component: () => import('./views/CompareView.vue') },
    { path: '/archives/:id/weeks', name: 'weeks', component: () => import('./views/WeeksView.vue') },
    { path: '/archives/:id/machine', name: 'machine', component: () => import('./views/MachineView.vue') },
    { path: '/archives/:id', name: 'workbench', component: WorkbenchView },
    { path: '/:anything(.*)*', name: 'lost', component: () => import('./views/LostView.vue') },
  ],
})
