import { getHeader, setResponseHeader, setResponseStatus } from 'h3'
import { listFileForm } from '../../../../protocol/forms.ts'
import { apiHandler, idOf, queryOf } from '../../../http/api-handler.ts'
import { streamText } from '../../../http/stream-text.ts'
import { listFile } from '../../../lists/list-file.ts'

export default apiHandler(async ({ sql, event }) => {
  const { format } = await queryOf(event, listFileForm)
  const { text, tag } = await listFile(sql, idOf(event), format)
  setResponseHeader(event, 'etag', tag)
  if (getHeader(event, 'if-none-match') === tag) {
    setResponseStatus(event, 304)
    return ''
  }
  setResponseHeader(event, 'content-type', 'text/plain; charset=utf-8')
  await streamText(event, text)
  return ''
})
