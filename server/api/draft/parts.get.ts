import { partsForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../http/api-handler.ts'
import { readParts } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) => readParts(sql, (await queryOf(event, partsForm)).mark))
