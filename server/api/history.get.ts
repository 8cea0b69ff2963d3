import { setResponseHeader } from 'h3'
import { readInstant } from '../../core/time/instant.ts'
import { sinceForm } from '../../protocol/forms.ts'
import { apiHandler, queryOf } from '../http/api-handler.ts'
import { history } from '../live/history.ts'
import { arrayText, streamParts } from '../http/stream-text.ts'

export default apiHandler(async ({ sql, event }) => {
  const { from } = await queryOf(event, sinceForm)
  setResponseHeader(event, 'content-type', 'application/json')
  await streamParts(event, arrayText(history(sql, readInstant(from)!)))
  return ''
})
