import { deviceEditsForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { changeDevices } from '../../services/draft-devices.ts'

export default apiHandler(async ({ sql, event }) => changeDevices(sql, await bodyOf(event, deviceEditsForm)))
