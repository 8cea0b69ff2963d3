import type { DismissalAnswer } from '../../../protocol/answers.ts'
import { apiHandler } from '../../http/api-handler.ts'
import { dismissals } from '../../draft/dismissals.ts'

export default apiHandler(({ sql }): Promise<DismissalAnswer[]> => dismissals(sql))
