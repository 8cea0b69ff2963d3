import { apiHandler } from '../../http/api-handler.ts'
import { driverOf } from '../../gateways/router.ts'

export default apiHandler(async ({ router }) => driverOf(router).startUp())
