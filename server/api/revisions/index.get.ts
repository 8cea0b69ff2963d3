import type { RevisionAnswer } from '../../../protocol/answers.ts'
import { apiHandler } from '../../http/api-handler.ts'
import { revisions } from '../../live/live.ts'

export default apiHandler(({ sql }): Promise<RevisionAnswer[]> => revisions(sql))
