import { deleteCookie, getCookie } from 'h3'
import { answering, saysTrue } from '../services/answering.ts'
import { SESSION_COOKIE } from '../services/open-routes.ts'
import { signOut } from '../services/sign-in.ts'

export default answering(async ({ sql, event }) => {
  await signOut(sql, getCookie(event, SESSION_COOKIE)!, saysTrue(event, 'everywhere'))
  deleteCookie(event, SESSION_COOKIE, { path: '/' })
  return { account: null }
})
