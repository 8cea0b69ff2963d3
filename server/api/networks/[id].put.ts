import { networkForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, idOf, markIn } from '../../services/answering.ts'
import { putNetwork } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  putNetwork(sql, idOf(event), await bodyOf(event, networkForm), markIn(event)),
)
