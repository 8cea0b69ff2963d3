import type { StepsAnswer } from '../../../protocol/answers.ts'
import { apiHandler } from '../../http/api-handler.ts'
import { stepNumbers } from '../../draft/edit.ts'

export default apiHandler(({ sql }): Promise<StepsAnswer> => stepNumbers(sql))
