import type { DismissalAnswer } from '../../../protocol/answers.ts'
import { apiHandler } from '../../services/api-handler.ts'
import { dismissals } from '../../services/dismissals.ts'

export default apiHandler(({ sql }): Promise<DismissalAnswer[]> => dismissals(sql))
