import { deviceForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { putDevice } from '../../services/draft-devices.ts'

export default apiHandler(async ({ sql, event }) => putDevice(sql, null, await bodyOf(event, deviceForm)))
