import { apiHandler } from '../http/api-handler.ts'
import { ofGateway } from '../gateways/of-gateway.ts'

export default apiHandler(({ gateway }) => ofGateway(gateway.evidence()))
