import { siteListForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { putSiteList } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) => putSiteList(sql, null, await bodyOf(event, siteListForm)))
