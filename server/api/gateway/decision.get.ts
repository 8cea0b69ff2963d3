import { decisionForm } from '../../../protocol/forms.ts'
import { apiHandler, ofGateway, queryOf } from '../../http/api-handler.ts'

export default apiHandler(async ({ gateway, event }) => {
  const { mac, at } = await queryOf(event, decisionForm)
  return ofGateway(gateway.decision(mac, at))
})
