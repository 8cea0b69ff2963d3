import { setResponseHeader } from 'h3'
import { apiHandler, ofGateway } from '../services/api-handler.ts'
import { readLive } from '../services/live.ts'
import { listSources } from '../services/list-source.ts'
import { metricsText } from '../services/metrics.ts'

export default apiHandler(async ({ sql, gateway, link, event }) => {
  const { type, text } = await ofGateway(
    metricsText(await readLive(sql), await listSources(sql), link.view(), gateway),
  )
  setResponseHeader(event, 'content-type', type)
  return text
})
