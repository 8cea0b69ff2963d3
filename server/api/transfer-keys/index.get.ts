import type { TransferKeysAnswer } from '../../../protocol/list-source.ts'
import { apiHandler } from '../../http/api-handler.ts'
import { transferKeys } from '../../lists/zones/transfer-keys.ts'

export default apiHandler(async ({ sql, zonesPort }): Promise<TransferKeysAnswer> => ({
  port: zonesPort,
  keys: await transferKeys(sql),
}))
