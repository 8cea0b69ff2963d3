import { learnedForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../http/api-handler.ts'
import { ofGateway } from '../../gateways/of-gateway.ts'
import { learnedNames } from '../../activity/lookups.ts'

export default apiHandler(async ({ sql, event, keepLookups }) => {
  const { macs, from, until } = await queryOf(event, learnedForm)
  await ofGateway(keepLookups())
  return learnedNames(sql, macs.split(','), from, until)
})
