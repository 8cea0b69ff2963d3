import { siteListForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { putSiteList } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) => putSiteList(sql, null, await bodyOf(event, siteListForm)))
