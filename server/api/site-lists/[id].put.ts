import { siteListForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf, markIn } from '../../http/api-handler.ts'
import { putSiteList } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) =>
  putSiteList(sql, idOf(event), await bodyOf(event, siteListForm), markIn(event)),
)
