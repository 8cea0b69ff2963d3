import { letInForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { driverOf } from '../../services/router.ts'

export default apiHandler(async ({ router, event }) => driverOf(router).letIn(await bodyOf(event, letInForm)))
