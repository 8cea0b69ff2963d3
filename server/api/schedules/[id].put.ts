import { scheduleForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf, markIn } from '../../http/api-handler.ts'
import { putSchedule } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) =>
  putSchedule(sql, idOf(event), await bodyOf(event, scheduleForm), markIn(event)),
)
