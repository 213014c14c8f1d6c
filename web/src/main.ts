import './styles/main.css'
import { VueQueryPlugin, type VueQueryPluginOptions } from '@tanstack/vue-query'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { ApiError } from './api/client'
import { router } from './router'

const queries: VueQueryPluginOptions = {
  queryClientConfig: {
    defaultOptions: {
      queries: {
        // What passes is asked again until it does; what is wrong stays wrong.
        retry: (_, why) => why instanceof ApiError && why.passes,
        retryDelay: (attempt) => Math.min(500 * 2 ** attempt, 4_000),
        refetchOnWindowFocus: false,
        // The server is usually on this very machine: being offline says nothing of it.
        networkMode: 'always',
      },
    },
  },
}

createApp(App).use(createPinia()).use(VueQueryPlugin, queries).use(router).mount('#app')
