import { apiHandler } from '../../http/api-handler.ts'
import { pairingOf } from '../../gateways/pairing.ts'

export default apiHandler(async ({ sql, pairing, link }) => {
  await pairingOf(pairing).unpair(sql.actor)
  await link.look()
  return pairingOf(pairing).answer()
})
