import { apiHandler, idOf } from '../../http/api-handler.ts'
import { deleteTransferKey } from '../../lists/zones/transfer-keys.ts'

export default apiHandler(async ({ sql, event }) => {
  await deleteTransferKey(sql, idOf(event))
  return {}
})
