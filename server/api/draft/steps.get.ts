import type { StepsAnswer } from '../../../protocol/answers.ts'
import { apiHandler } from '../../services/api-handler.ts'
import { stepNumbers } from '../../services/edit.ts'

export default apiHandler(({ sql }): Promise<StepsAnswer> => stepNumbers(sql))
