import type { TokenAnswer } from '../../../protocol/answers.ts'
import { apiHandler } from '../../services/api-handler.ts'
import { tokens } from '../../services/tokens.ts'

export default apiHandler(({ sql }): Promise<TokenAnswer[]> => tokens(sql))
