import type { SessionAnswer } from '../../protocol/answers.ts'
import { answering } from '../services/answering.ts'
import { hasAccount } from '../sql/account.ts'

export default answering(async ({ sql, account }): Promise<SessionAnswer> => ({
  account: account || null,
  setUp: await hasAccount(sql),
}))
