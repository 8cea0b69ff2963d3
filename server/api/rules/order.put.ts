import { orderForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, markIn } from '../../http/api-handler.ts'
import { sortRules } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) =>
  sortRules(sql, (await bodyOf(event, orderForm)).ids, markIn(event)),
)
