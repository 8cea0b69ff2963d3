import { pairGatewayForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { pairingOf } from '../../gateways/pairing.ts'

export default apiHandler(async ({ sql, pairing, link, event }) => {
  const { address, code } = await bodyOf(event, pairGatewayForm)
  if (code === null) pairingOf(pairing).wait(address, sql.actor)
  else {
    await pairingOf(pairing).pair(address, code, sql.actor)
    await link.look()
  }
  return pairingOf(pairing).answer()
})
