import { setResponseHeaders } from 'h3'
import { usageForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../http/api-handler.ts'
import { usageFile } from '../../activity/usage.ts'
import { streamText } from '../../http/stream-text.ts'

export default apiHandler(async ({ sql, event, keepUsage, log }) => {
  const query = await queryOf(event, usageForm)
  await keepUsage().catch((error: unknown) => log.warn(error, 'usage'))
  const text = await usageFile(sql, query)
  setResponseHeaders(event, {
    'content-type': 'text/csv; charset=utf-8',
    'content-disposition': `attachment; filename="kairostat-usage-${query.from.slice(0, 10)}.csv"`,
  })
  await streamText(event, text)
  return ''
})
