import { setResponseHeader } from 'h3'
import { apiHandler } from '../http/api-handler.ts'
import { ofGateway } from '../gateways/of-gateway.ts'
import { readLive } from '../live/live.ts'
import { listSources } from '../lists/list-source.ts'
import { metricsText } from '../activity/metrics.ts'
import { usageToday } from '../activity/usage.ts'

export default apiHandler(async ({ sql, gateway, link, event }) => {
  const live = await readLive(sql)
  const used = await usageToday(sql, live.policy.place.timeZone)
  const { type, text } = await ofGateway(
    metricsText(live, used, await listSources(sql), link.view(), gateway),
  )
  setResponseHeader(event, 'content-type', type)
  return text
})
