import type { SessionAnswer } from '../../protocol/answers.ts'
import { apiHandler } from '../http/api-handler.ts'
import { placesOf } from '../accounts/people.ts'
import { hasAccount } from '../accounts/sign-in.ts'

export default apiHandler(async ({ sql, event, principal }): Promise<SessionAnswer> => {
  const signedIn = event.context.account as string | null
  return {
    account: principal?.account ?? signedIn,
    role: principal?.role ?? null,
    limit: principal?.limit ?? null,
    setUp: await hasAccount(sql),
    // A token is for its place alone.
    places: signedIn === null ? [] : await placesOf(sql, signedIn),
  }
})
