import { answering, idOf } from '../../services/answering.ts'
import { endOverride } from '../../services/live.ts'

export default answering(async ({ sql, link, event }) => {
  await endOverride(sql, idOf(event))
  link.liveChanged()
  return { gateway: await link.look() }
})
