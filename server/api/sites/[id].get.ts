import { setResponseHeader } from 'h3'
import { apiHandler, idOf } from '../../http/api-handler.ts'
import { sitesWith } from '../../draft/brief-lists.ts'
import { ApiError } from '../../errors.ts'

/** The sites of a long list, by their digest: whoever has them need not ask again. */
export default apiHandler(async ({ sql, event }) => {
  const sites = await sitesWith(sql, idOf(event))
  if (sites === null)
    throw new ApiError('not-found', 'No list has these sites any more: load the page again.')
  setResponseHeader(event, 'cache-control', 'private, max-age=31536000, immutable')
  setResponseHeader(event, 'content-type', 'application/json')
  return sites
})
