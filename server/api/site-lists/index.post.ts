import { siteListForm } from '../../../protocol/forms.ts'
import { answering, BODY, bodyOf } from '../../services/answering.ts'
import { putSiteList } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  putSiteList(sql, null, await bodyOf(event, siteListForm, BODY.lists)),
)
