import { apiHandler, idOf } from '../../services/api-handler.ts'
import { withdraw } from '../../services/people.ts'

export default apiHandler(async ({ sql, event }) => {
  await withdraw(sql, idOf(event))
  return {}
})
