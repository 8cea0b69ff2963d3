import { endForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, idOf } from '../../services/answering.ts'
import { changeOverride } from '../../services/live.ts'

export default answering(async ({ sql, link, event, account }) => {
  await changeOverride(sql, idOf(event), (await bodyOf(event, endForm)).until, account)
  link.liveChanged()
  return { gateway: await link.look() }
})
