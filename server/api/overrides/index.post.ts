import { overrideForm } from '../../../protocol/forms.ts'
import { answering, bodyOf } from '../../services/answering.ts'
import { makeOverride } from '../../services/live.ts'

export default answering(async ({ sql, link, event, account }) => {
  const id = await makeOverride(sql, await bodyOf(event, overrideForm), account)
  link.liveChanged()
  return { id, gateway: await link.look() }
})
