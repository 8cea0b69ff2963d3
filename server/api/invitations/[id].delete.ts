import { apiHandler, idOf } from '../../http/api-handler.ts'
import { withdraw } from '../../accounts/people.ts'

export default apiHandler(async ({ sql, event }) => {
  await withdraw(sql, idOf(event))
  return {}
})
