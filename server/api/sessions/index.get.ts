import { getCookie } from 'h3'
import type { OwnSession } from '../../../protocol/people.ts'
import { apiHandler } from '../../services/api-handler.ts'
import { SESSION_COOKIE } from '../../services/open-routes.ts'
import { ownSessions } from '../../services/sign-in.ts'

export default apiHandler(({ sql, event, account }): Promise<OwnSession[]> =>
  ownSessions(sql, account, getCookie(event, SESSION_COOKIE)!),
)
