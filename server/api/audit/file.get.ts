import { setResponseHeaders } from 'h3'
import { auditForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../http/api-handler.ts'
import { auditFile } from '../../accounts/audit.ts'
import { streamParts } from '../../http/stream-text.ts'

export default apiHandler(async ({ sql, event }) => {
  const search = await queryOf(event, auditForm)
  const name = `kairostat-audit-${new Date().toISOString().slice(0, 10)}.csv`
  setResponseHeaders(event, {
    'content-type': 'text/csv; charset=utf-8',
    'content-disposition': `attachment; filename="${name}"`,
  })
  await streamParts(event, auditFile(sql, search))
  return ''
})
