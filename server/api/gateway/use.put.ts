import { useAppForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, ofGateway } from '../../services/answering.ts'

export default answering(async ({ gateway, event }) => {
  const { mac, app } = await bodyOf(event, useAppForm)
  await ofGateway(gateway.useApp(mac, app))
  return {}
})
