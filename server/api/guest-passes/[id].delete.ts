import { apiHandler, idOf } from '../../services/api-handler.ts'
import { endGuestPass } from '../../services/guest-pass.ts'

export default apiHandler(async ({ sql, event }) => {
  await endGuestPass(sql, idOf(event))
  return {}
})
