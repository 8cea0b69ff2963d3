import { partsForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../services/api-handler.ts'
import { readParts } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) => readParts(sql, (await queryOf(event, partsForm)).mark))
