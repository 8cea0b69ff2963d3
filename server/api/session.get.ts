import type { SessionAnswer } from '../../protocol/answers.ts'
import { apiHandler } from '../services/api-handler.ts'
import { hasAccount } from '../sql/account.ts'

export default apiHandler(async ({ sql, account }): Promise<SessionAnswer> => ({
  account: account || null,
  setUp: await hasAccount(sql),
}))
