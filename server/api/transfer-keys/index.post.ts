import { transferKeyForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { makeTransferKey } from '../../lists/zones/transfer-keys.ts'

export default apiHandler(async ({ sql, event, account }) =>
  makeTransferKey(sql, (await bodyOf(event, transferKeyForm)).name, account),
)
