import { apiHandler, idOf } from '../../http/api-handler.ts'
import { endGuestPass } from '../../live/guest-pass.ts'

export default apiHandler(async ({ sql, event }) => {
  await endGuestPass(sql, idOf(event))
  return {}
})
