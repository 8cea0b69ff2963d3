import { setResponseHeader } from 'h3'
import { answering, ofGateway } from '../services/answering.ts'
import { readLive } from '../services/live.ts'
import { metricsText } from '../services/metrics.ts'

export default answering(async ({ sql, gateway, link, event }) => {
  const { type, text } = await ofGateway(metricsText(await readLive(sql), link.view(), gateway))
  setResponseHeader(event, 'content-type', type)
  return text
})
