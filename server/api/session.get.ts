import type { SessionAnswer } from '../../protocol/answers.ts'
import { apiHandler } from '../services/api-handler.ts'
import { hasAccount } from '../services/sign-in.ts'

export default apiHandler(async ({ sql, principal }): Promise<SessionAnswer> => ({
  account: principal?.account ?? null,
  role: principal?.role ?? null,
  limit: principal?.limit ?? null,
  setUp: await hasAccount(sql),
}))
