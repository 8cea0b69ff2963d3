import { apiHandler, idOf } from '../../http/api-handler.ts'
import { showAgain } from '../../draft/dismissals.ts'

export default apiHandler(async ({ sql, event }) => {
  await showAgain(sql, idOf(event))
  return {}
})
