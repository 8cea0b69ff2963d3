import { answering, idOf } from '../../services/answering.ts'
import { Refused } from '../../services/errors.ts'
import { removeToken } from '../../sql/token.ts'

export default answering(async ({ sql, event }) => {
  if (!(await removeToken(sql, idOf(event))))
    throw new Refused('not-found', 'That token was revoked already.')
  return {}
})
