import { tokenForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { makeToken } from '../../accounts/tokens.ts'

export default apiHandler(async ({ sql, event, account }) => {
  return makeToken(sql, await bodyOf(event, tokenForm), account)
})
