import { deviceForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf, markIn } from '../../http/api-handler.ts'
import { putDevice } from '../../draft/draft-devices.ts'

export default apiHandler(async ({ sql, event }) =>
  putDevice(sql, idOf(event), await bodyOf(event, deviceForm), markIn(event)),
)
