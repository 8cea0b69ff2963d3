import { learnedForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../http/api-handler.ts'
import { refusedNames } from '../../activity/lookups.ts'

export default apiHandler(async ({ sql, event, keepLookups, log }) => {
  const { macs, from, until } = await queryOf(event, learnedForm)
  await keepLookups().catch((error: unknown) => log.warn(error, 'look-ups'))
  return refusedNames(sql, macs.split(','), from, until)
})
