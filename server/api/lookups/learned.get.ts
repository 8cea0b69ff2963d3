import { learnedForm } from '../../../protocol/forms.ts'
import { apiHandler, ofGateway, queryOf } from '../../services/api-handler.ts'
import { learnedNames } from '../../services/lookups.ts'

export default apiHandler(async ({ sql, event, keepLookups }) => {
  const { macs, from, until } = await queryOf(event, learnedForm)
  await ofGateway(keepLookups())
  return learnedNames(sql, macs.split(','), from, until)
})
