import { apiHandler } from '../../http/api-handler.ts'
import { seenNames } from '../../activity/lookups.ts'

export default apiHandler(async ({ sql, keepLookups, log }) => {
  // A gateway that is away is told of at the top of every page; what was kept is still an answer.
  await keepLookups().catch((error: unknown) => log.warn(error, 'look-ups'))
  return seenNames(sql)
})
