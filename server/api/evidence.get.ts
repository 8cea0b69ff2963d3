import { answering, ofGateway } from '../services/answering.ts'

export default answering(({ gateway }) => ofGateway(gateway.evidence()))
