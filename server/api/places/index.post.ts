import { placeForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'

export default apiHandler(async ({ places, sql, account, event }) => ({
  id: await places.add(await bodyOf(event, placeForm), account, sql.actor),
}))
