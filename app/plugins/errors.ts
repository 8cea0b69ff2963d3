import { errorText } from '../../core/words/error-text.ts'
import { useSession } from '../stores/session.ts'

// Without this an error in a component or a watcher would be known to nobody.
export default defineNuxtPlugin((nuxt) => {
  nuxt.hook('vue:error', (error) => {
    console.error(error)
    useSession().faults.set(
      'page',
      `Something on this page went wrong: ${errorText(error)}; nothing that was saved is lost.`,
    )
  })
  useRouter().afterEach((to, from) => {
    if (to.path !== from.path) useSession().faults.delete('page')
  })
})
