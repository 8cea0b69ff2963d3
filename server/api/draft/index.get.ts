import { apiHandler } from '../../services/api-handler.ts'
import { readDraft } from '../../services/draft.ts'

export default apiHandler(({ sql }) => readDraft(sql))
