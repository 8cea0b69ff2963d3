import { readInstant } from '../../core/time/instant.ts'
import { sinceForm } from '../../protocol/forms.ts'
import { answering, queryOf } from '../services/answering.ts'
import { history } from '../services/history.ts'

export default answering(async ({ sql, event }) =>
  history(sql, readInstant((await queryOf(event, sinceForm)).from)!),
)
