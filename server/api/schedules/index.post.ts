import { scheduleForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { putSchedule } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) => putSchedule(sql, null, await bodyOf(event, scheduleForm)))
