import { decisionForm } from '../../../protocol/forms.ts'
import { answering, ofGateway, queryOf } from '../../services/answering.ts'

export default answering(async ({ gateway, event }) => {
  const { mac, at } = await queryOf(event, decisionForm)
  return ofGateway(gateway.decision(mac, at))
})
