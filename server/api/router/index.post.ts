import { routerForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { driverOf } from '../../services/router.ts'

export default apiHandler(async ({ router, event }) => driverOf(router).look(await bodyOf(event, routerForm)))
