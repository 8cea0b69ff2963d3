import { apiHandler, ofGateway } from '../http/api-handler.ts'

export default apiHandler(({ gateway }) => ofGateway(gateway.evidence()))
