import { useAppForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, ofGateway } from '../../http/api-handler.ts'

export default apiHandler(async ({ gateway, event }) => {
  const { mac, app } = await bodyOf(event, useAppForm)
  const simulation = await ofGateway(gateway.simulation())
  await ofGateway(simulation.useApp(mac, app))
  return {}
})
