import { apiHandler, idOf } from '../../services/api-handler.ts'
import { showAgain } from '../../services/dismissals.ts'

export default apiHandler(async ({ sql, event }) => {
  await showAgain(sql, idOf(event))
  return {}
})
