import { findForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../http/api-handler.ts'
import { searchPlaces } from '../../places/overview.ts'

export default apiHandler(async ({ places, sql, account, event }) =>
  searchPlaces(places, sql, account, (await queryOf(event, findForm)).text),
)
