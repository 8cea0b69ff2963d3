import { asideForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../services/api-handler.ts'
import { ApiError } from '../../services/errors.ts'
import { setAside } from '../../sql/aside.ts'
import { tell } from '../../sql/database.ts'

export default apiHandler(async ({ sql, event, account }) => {
  const { reason } = await bodyOf(event, asideForm)
  const mark = idOf(event)
  if (!/^[0-9a-f]{16}$/.test(mark))
    throw new ApiError('not-found', 'A finding is named by its mark of 16 hexadecimal digits.')
  await setAside(sql, { mark, reason, author: account })
  await tell(sql, 'draft')
  return {}
})
