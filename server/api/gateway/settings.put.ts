import { settingsForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, ofGateway } from '../../services/answering.ts'
import { Refused } from '../../services/errors.ts'
import { forgetLookups } from '../../sql/lookup.ts'

export default answering(async ({ sql, gateway, link, event }) => {
  const settings = await bodyOf(event, settingsForm)
  const faults = await ofGateway(gateway.set(settings))
  if (faults) throw new Refused('malformed', '', faults)
  await forgetLookups(sql, settings.lookups)
  return link.look()
})
