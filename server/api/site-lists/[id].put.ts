import { siteListForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf, markIn } from '../../services/api-handler.ts'
import { putSiteList } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) =>
  putSiteList(sql, idOf(event), await bodyOf(event, siteListForm), markIn(event)),
)
