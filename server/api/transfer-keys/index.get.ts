import type { TransferKeysAnswer } from '../../../protocol/list-source.ts'
import { apiHandler } from '../../services/api-handler.ts'
import { transferKeys } from '../../services/transfer-keys.ts'

export default apiHandler(async ({ sql, zonesPort }): Promise<TransferKeysAnswer> => ({
  port: zonesPort,
  keys: await transferKeys(sql),
}))
