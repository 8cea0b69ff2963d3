import { scheduleForm } from '../../../protocol/forms.ts'
import { answering, bodyOf } from '../../services/answering.ts'
import { putSchedule } from '../../services/draft.ts'

export default answering(async ({ sql, event }) => putSchedule(sql, null, await bodyOf(event, scheduleForm)))
