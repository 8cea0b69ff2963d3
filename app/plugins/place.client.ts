import { PAGES_OF } from '../model/address.ts'

// The addresses of the pages of a place begin with it: the router, which is made after this, reads where
// they begin.
export default defineNuxtPlugin({
  name: 'place',
  enforce: 'pre',
  order: -50,
  setup() {
    const { app } = useRuntimeConfig()
    // Their files are the same for all places.
    app.cdnURL = app.baseURL
    app.baseURL = `${PAGES_OF}/`
  },
})
