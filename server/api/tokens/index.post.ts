import { tokenForm } from '../../../protocol/forms.ts'
import { answering, bodyOf } from '../../services/answering.ts'
import { makeToken } from '../../services/sign-in.ts'

export default answering(async ({ sql, event, account }) => {
  const { name } = await bodyOf(event, tokenForm)
  return makeToken(sql, name, account)
})
