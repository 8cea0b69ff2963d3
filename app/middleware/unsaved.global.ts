import { useUnsaved } from '../stores/unsaved.ts'

/**
 * Nobody leaves what they typed without being asked; another query, such as a device on the board, leaves
 * nothing.
 */
export default defineNuxtRouteMiddleware(async (to, from) => {
  if (to.path === from.path && to.query.new === from.query.new) return
  if (!(await useUnsaved().mayLeave())) return abortNavigation()
})
