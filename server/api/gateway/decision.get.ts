import { decisionForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../http/api-handler.ts'
import { ofGateway } from '../../gateways/of-gateway.ts'

export default apiHandler(async ({ gateway, event }) => {
  const { mac, at } = await queryOf(event, decisionForm)
  return ofGateway(gateway.decision(mac, at))
})
