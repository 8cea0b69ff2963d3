import { apiHandler } from '../../http/api-handler.ts'
import { driverOf, ofRouter } from '../../gateways/router.ts'

export default apiHandler(async ({ router }) => ofRouter(driverOf(router).startUp()))
