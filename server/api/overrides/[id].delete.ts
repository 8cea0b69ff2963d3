import { answering, idOf } from '../../services/answering.ts'
import { endOverride } from '../../services/live.ts'

export default answering(async ({ sql, link, event, account }) => {
  await endOverride(sql, idOf(event), account)
  link.liveChanged()
  return { gateway: await link.look() }
})
