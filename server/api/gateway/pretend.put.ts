import { pretendForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, ofGateway } from '../../services/api-handler.ts'

export default apiHandler(async ({ gateway, link, event }) => {
  await ofGateway(gateway.pretend((await bodyOf(event, pretendForm)).trouble))
  return link.look()
})
