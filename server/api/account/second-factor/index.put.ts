import { codeForm } from '../../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../../http/api-handler.ts'
import { confirmSecondFactor } from '../../../accounts/second-factor.ts'

export default apiHandler(async ({ sql, client, event, account }) => {
  const { code } = await bodyOf(event, codeForm)
  return confirmSecondFactor(sql, account, code, client.address)
})
