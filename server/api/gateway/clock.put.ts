import { GatewayRefusal } from '../../../gateway/gateway.ts'
import { clockForm } from '../../../shared/forms.ts'
import { answering, bodyOf } from '../../services/answering.ts'
import { Refused } from '../../services/errors.ts'

export default answering(async ({ gateway, link, event }) => {
  const { instant } = await bodyOf(event, clockForm)
  await gateway.setClock(instant).catch((error: unknown) => {
    throw error instanceof GatewayRefusal ? new Refused('malformed', error.message) : error
  })
  return link.look()
})
