import { apiHandler } from '../../services/api-handler.ts'
import { driverOf } from '../../services/router.ts'

export default apiHandler(async ({ router }) => driverOf(router).startUp())
