import { apiHandler } from '../../http/api-handler.ts'
import { pairingOf } from '../../gateways/pairing.ts'

export default apiHandler(async ({ pairing, link }) => {
  await pairingOf(pairing).unpair()
  await link.look()
  return pairingOf(pairing).answer()
})
