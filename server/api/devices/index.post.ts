import { deviceForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { putDevice } from '../../draft/draft-devices.ts'

export default apiHandler(async ({ sql, event }) => putDevice(sql, null, await bodyOf(event, deviceForm)))
