import { answering, idOf } from '../../services/answering.ts'
import { Refused } from '../../services/errors.ts'
import { revisionPolicy } from '../../services/live.ts'

export default answering(({ sql, event }) => {
  const number = Number(idOf(event))
  if (!Number.isInteger(number)) throw new Refused('not-found', 'Revisions are named by their number.')
  return revisionPolicy(sql, number)
})
