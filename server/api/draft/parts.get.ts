import { partsForm } from '../../../protocol/forms.ts'
import { answering, queryOf } from '../../services/answering.ts'
import { readParts } from '../../services/draft.ts'

export default answering(async ({ sql, event }) => readParts(sql, (await queryOf(event, partsForm)).mark))
