import { routerForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { driverOf } from '../../gateways/router.ts'

export default apiHandler(async ({ router, event }) => driverOf(router).look(await bodyOf(event, routerForm)))
