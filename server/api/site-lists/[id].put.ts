import { siteListForm } from '../../../protocol/forms.ts'
import { answering, BODY, bodyOf, idOf, markIn } from '../../services/answering.ts'
import { putSiteList } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  putSiteList(sql, idOf(event), await bodyOf(event, siteListForm, BODY.lists), markIn(event)),
)
