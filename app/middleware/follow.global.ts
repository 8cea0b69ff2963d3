import { prepare } from '../composables/useDecider.ts'
import { MOVED } from '../model/pages.ts'
import { useMe } from '../stores/me.ts'
import { useBoard } from '../stores/board.ts'
import { useSession } from '../stores/session.ts'

let end: (() => void) | null = null

/** Asks for what every page but the sign-in needs before the page itself is fetched: both take a while. */
export default defineNuxtRouteMiddleware((to) => {
  const moved = MOVED[to.path]
  if (moved !== undefined)
    return navigateTo({ path: moved, query: to.query, hash: to.hash }, { replace: true })
  if (to.meta.standsAlone) {
    end?.()
    end = null
  } else if (!end) {
    end = useSession().follow(useMe().take)
    // The board's store asks for the past.
    useBoard()
    prepare()
  }
})
