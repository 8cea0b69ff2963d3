import { deviceEditsForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { changeDevices } from '../../draft/draft-devices.ts'

export default apiHandler(async ({ sql, event }) => changeDevices(sql, await bodyOf(event, deviceEditsForm)))
