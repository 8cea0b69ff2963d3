import { scheduleForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { putSchedule } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) => putSchedule(sql, null, await bodyOf(event, scheduleForm)))
