import { createRouter, createWebHistory } from 'vue-router'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'archives', component: () => import('./views/ArchivesView.vue') },
    { path: '/recorders', name: 'recorders', component: () => import('./views/RecordersView.vue') },
    { path: '/counters', name: 'counters', component: () => import('./views/CountersView.vue') },
    { path: '/archives/:id', name: 'workbench', component: () => import('./views/WorkbenchView.vue') },
    { path: '/:anything(.*)*', name: 'lost', component: () => import('./views/LostView.vue') },
  ],
})
