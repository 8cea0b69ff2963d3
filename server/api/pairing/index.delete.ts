import { apiHandler } from '../../services/api-handler.ts'
import { pairingOf } from '../../services/pairing.ts'

export default apiHandler(async ({ pairing, link }) => {
  await pairingOf(pairing).unpair()
  await link.look()
  return pairingOf(pairing).answer()
})
