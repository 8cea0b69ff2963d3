import { searchForm } from '../../../protocol/forms.ts'
import { answering, queryOf } from '../../services/answering.ts'
import { searchLookups } from '../../sql/lookup.ts'

export default answering(async ({ sql, event, keepLookups, log }) => {
  // A gateway that is away is told of at the top of every page; what was kept is still an answer.
  await keepLookups().catch((error: unknown) => log.warn(error, 'look-ups'))
  return searchLookups(sql, await queryOf(event, searchForm))
})
