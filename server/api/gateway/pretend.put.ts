import { pretendForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { ofGateway } from '../../gateways/of-gateway.ts'

export default apiHandler(async ({ gateway, link, event }) => {
  const { trouble } = await bodyOf(event, pretendForm)
  const simulation = await ofGateway(gateway.simulation())
  await ofGateway(simulation.pretend(trouble))
  return link.look()
})
