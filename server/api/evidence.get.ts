import { apiHandler, ofGateway } from '../services/api-handler.ts'

export default apiHandler(({ gateway }) => ofGateway(gateway.evidence()))
