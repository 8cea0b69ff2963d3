import { useAppForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { ofGateway } from '../../gateways/of-gateway.ts'

export default apiHandler(async ({ gateway, event }) => {
  const { mac, app } = await bodyOf(event, useAppForm)
  const simulation = await ofGateway(gateway.simulation())
  await ofGateway(simulation.useApp(mac, app))
  return {}
})
