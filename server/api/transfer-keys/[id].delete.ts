import { apiHandler, idOf } from '../../services/api-handler.ts'
import { deleteTransferKey } from '../../services/transfer-keys.ts'

export default apiHandler(async ({ sql, event }) => {
  await deleteTransferKey(sql, idOf(event))
  return {}
})
