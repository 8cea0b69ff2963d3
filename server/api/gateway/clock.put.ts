import { clockForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, ofGateway } from '../../services/answering.ts'

export default answering(async ({ gateway, link, event }) => {
  await ofGateway(gateway.setClock((await bodyOf(event, clockForm)).instant))
  return link.look()
})
