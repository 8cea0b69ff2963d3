import type { StepsAnswer } from '../../../protocol/answers.ts'
import { apiHandler } from '../../http/api-handler.ts'
import { nextSteps } from '../../draft/edit.ts'

export default apiHandler(({ sql }): Promise<StepsAnswer> => nextSteps(sql))
