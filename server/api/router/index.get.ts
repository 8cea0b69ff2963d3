import { ofRouter } from '../../gateways/router.ts'
import { apiHandler } from '../../http/api-handler.ts'

// Nothing is said of a router where the application was started for a certain gateway.
export default apiHandler(async ({ router }) => (router ? await ofRouter(router.answer()) : null))
