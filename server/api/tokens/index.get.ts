import type { TokenAnswer } from '../../../protocol/answers.ts'
import { apiHandler } from '../../http/api-handler.ts'
import { tokens } from '../../accounts/tokens.ts'

export default apiHandler(({ sql }): Promise<TokenAnswer[]> => tokens(sql))
