import { trialForm } from '../../../protocol/forms.ts'
import { trialOf } from '../../gateways/open-gateway.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'

export default apiHandler(async ({ sql, trial, router, pairing, link, event }) => {
  const { isOn } = await bodyOf(event, trialForm)
  await trialOf(trial).set(isOn, { router, pairing }, sql.actor)
  return link.look()
})
