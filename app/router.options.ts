import type { RouterConfig } from '@nuxt/schema'
import type { RouteRecordRaw } from 'vue-router'
import BoardPage from './pages/index.vue'

// The page that almost everybody opens first comes with the first file: each further file would be a way to
// the
// server and
// back before the answer is seen.
export default {
  routes: (pages) =>
    pages.map((page) => (page.path === '/' ? ({ ...page, component: BoardPage } as RouteRecordRaw) : page)),
} satisfies RouterConfig
