import type { RevisionAnswer } from '../../../protocol/answers.ts'
import { apiHandler } from '../../services/api-handler.ts'
import { revisions } from '../../services/live.ts'

export default apiHandler(({ sql }): Promise<RevisionAnswer[]> => revisions(sql))
