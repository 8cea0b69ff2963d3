import { deviceForm } from '../../../protocol/forms.ts'
import { answering, bodyOf } from '../../services/answering.ts'
import { putDevice } from '../../services/draft.ts'

export default answering(async ({ sql, event }) => putDevice(sql, null, await bodyOf(event, deviceForm)))
