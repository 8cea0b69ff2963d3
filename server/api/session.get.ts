import type { SessionAnswer } from '../../protocol/answers.ts'
import { apiHandler } from '../services/api-handler.ts'
import { hasAccount } from '../services/sign-in.ts'

export default apiHandler(async ({ sql, account }): Promise<SessionAnswer> => ({
  account: account || null,
  setUp: await hasAccount(sql),
}))
