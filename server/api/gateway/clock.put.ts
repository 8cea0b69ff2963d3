import { clockForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, ofGateway } from '../../services/api-handler.ts'

export default apiHandler(async ({ gateway, link, event }) => {
  await ofGateway(gateway.setClock((await bodyOf(event, clockForm)).instant))
  return link.look()
})
