import { deleteCookie, getCookie } from 'h3'
import { apiHandler, saysTrue } from '../http/api-handler.ts'
import { SESSION_COOKIE } from '../http/open-routes.ts'
import { signOut } from '../accounts/sign-in.ts'

export default apiHandler(async ({ sql, event }) => {
  await signOut(sql, getCookie(event, SESSION_COOKIE)!, saysTrue(event, 'everywhere'))
  deleteCookie(event, SESSION_COOKIE, { path: '/' })
  return { account: null }
})
