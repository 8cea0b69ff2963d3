import { clockForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { ofGateway } from '../../gateways/of-gateway.ts'

export default apiHandler(async ({ gateway, link, event }) => {
  const { instant } = await bodyOf(event, clockForm)
  const simulation = await ofGateway(gateway.simulation())
  await ofGateway(simulation.setClock(instant))
  return link.look()
})
