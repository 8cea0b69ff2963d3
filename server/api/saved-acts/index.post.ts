import { savedActForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { saveAct } from '../../live/saved-acts.ts'

export default apiHandler(async ({ sql, event, account }) => ({
  id: await saveAct(sql, await bodyOf(event, savedActForm), account),
}))
