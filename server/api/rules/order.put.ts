import { orderForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, markIn } from '../../services/answering.ts'
import { sortRules } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  sortRules(sql, (await bodyOf(event, orderForm)).ids, markIn(event)),
)
