import { apiHandler } from '../../http/api-handler.ts'
import { readDraft } from '../../draft/draft.ts'

export default apiHandler(({ sql }) => readDraft(sql))
