import { getCookie } from 'h3'
import type { OwnSession } from '../../../protocol/people.ts'
import { apiHandler } from '../../http/api-handler.ts'
import { SESSION_COOKIE } from '../../http/open-routes.ts'
import { ownSessions } from '../../accounts/sign-in.ts'

export default apiHandler(({ sql, event, account }): Promise<OwnSession[]> =>
  ownSessions(sql, account, getCookie(event, SESSION_COOKIE)!),
)
