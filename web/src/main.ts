import './styles/main.css'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { ApiError } from './api/client'
import { fetchArchiveAhead } from './api/queries'
import { router } from './router'

const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      // What passes is queried again until it does; what is wrong stays wrong.
      retry: (_, why) => why instanceof ApiError && why.passes,
      retryDelay: (attempt) => Math.min(500 * 2 ** attempt, 4_000),
      refetchOnWindowFocus: false,
      // The server is usually on this very machine: being offline says nothing of it.
      networkMode: 'always',
    },
  },
})
// The root element says whether requests are pending, for tests that wait until none are.
queryClient.getQueryCache().subscribe(() => {
  document.documentElement.toggleAttribute('data-fetching', queryClient.isFetching() > 0)
})
router.beforeEach((to) => {
  if (to.name === 'workbench' && String(to.params['id']).length === 36)
    fetchArchiveAhead(queryClient, String(to.params['id']))
})

createApp(App).use(createPinia()).use(VueQueryPlugin, { queryClient }).use(router).mount('#app')
