import { appForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, idOf, markIn } from '../../services/answering.ts'
import { putApp } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  putApp(sql, idOf(event), await bodyOf(event, appForm), markIn(event)),
)
