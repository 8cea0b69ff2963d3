import { orderForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, markIn } from '../../services/api-handler.ts'
import { sortRules } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) =>
  sortRules(sql, (await bodyOf(event, orderForm)).ids, markIn(event)),
)
