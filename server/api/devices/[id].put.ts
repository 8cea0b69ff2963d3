import { deviceForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, idOf, markIn } from '../../services/answering.ts'
import { putDevice } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  putDevice(sql, idOf(event), await bodyOf(event, deviceForm), markIn(event)),
)
