import { tokenForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { makeToken } from '../../services/tokens.ts'

export default apiHandler(async ({ sql, event, account }) => {
  const { name } = await bodyOf(event, tokenForm)
  return makeToken(sql, name, account)
})
