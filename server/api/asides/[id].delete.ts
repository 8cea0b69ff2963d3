import { answering, idOf } from '../../services/answering.ts'
import { Refused } from '../../services/errors.ts'
import { takeUp } from '../../sql/aside.ts'
import { tell } from '../../sql/database.ts'

export default answering(async ({ sql, event }) => {
  if (!(await takeUp(sql, idOf(event)))) throw new Refused('not-found', 'That warning is not dismissed.')
  await tell(sql, 'draft')
  return {}
})
