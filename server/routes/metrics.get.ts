import { setResponseHeader } from 'h3'
import { apiHandler, ofGateway } from '../services/api-handler.ts'
import { readLive } from '../services/live.ts'
import { listSources } from '../services/list-source.ts'
import { metricsText } from '../services/metrics.ts'
import { usageToday } from '../services/usage.ts'

export default apiHandler(async ({ sql, gateway, link, event }) => {
  const live = await readLive(sql)
  const used = await usageToday(sql, live.policy.place.timeZone)
  const { type, text } = await ofGateway(
    metricsText(live, used, await listSources(sql), link.view(), gateway),
  )
  setResponseHeader(event, 'content-type', type)
  return text
})
