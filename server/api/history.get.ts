import { readInstant } from '../../core/time/instant.ts'
import { sinceForm } from '../../protocol/forms.ts'
import { apiHandler, queryOf } from '../services/api-handler.ts'
import { history } from '../services/history.ts'

export default apiHandler(async ({ sql, event }) =>
  history(sql, readInstant((await queryOf(event, sinceForm)).from)!),
)
