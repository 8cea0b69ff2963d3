import { pairGatewayForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { pairingOf } from '../../gateways/pairing.ts'

export default apiHandler(async ({ pairing, link, event }) => {
  const { address, code } = await bodyOf(event, pairGatewayForm)
  if (code === null) pairingOf(pairing).wait(address)
  else {
    await pairingOf(pairing).pair(address, code)
    await link.look()
  }
  return pairingOf(pairing).answer()
})
