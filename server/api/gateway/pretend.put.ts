import { pretendForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, ofGateway } from '../../services/answering.ts'

export default answering(async ({ gateway, link, event }) => {
  await ofGateway(gateway.pretend((await bodyOf(event, pretendForm)).trouble))
  return link.look()
})
