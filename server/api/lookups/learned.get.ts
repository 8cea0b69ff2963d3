import { learnedForm } from '../../../protocol/forms.ts'
import { apiHandler, ofGateway, queryOf } from '../../http/api-handler.ts'
import { learnedNames } from '../../activity/lookups.ts'

export default apiHandler(async ({ sql, event, keepLookups }) => {
  const { macs, from, until } = await queryOf(event, learnedForm)
  await ofGateway(keepLookups())
  return learnedNames(sql, macs.split(','), from, until)
})
