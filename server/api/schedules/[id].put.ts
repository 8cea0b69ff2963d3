import { scheduleForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, idOf, markIn } from '../../services/answering.ts'
import { putSchedule } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  putSchedule(sql, idOf(event), await bodyOf(event, scheduleForm), markIn(event)),
)
