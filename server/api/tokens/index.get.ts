import type { TokenAnswer } from '../../../protocol/answers.ts'
import { answering } from '../../services/answering.ts'
import { tokens } from '../../sql/token.ts'

export default answering(({ sql }): Promise<TokenAnswer[]> => tokens(sql))
