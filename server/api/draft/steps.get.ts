import type { StepsAnswer } from '../../../protocol/answers.ts'
import { answering } from '../../services/answering.ts'
import { stepNumbers } from '../../sql/draft-step.ts'

export default answering(({ sql }): Promise<StepsAnswer> => stepNumbers(sql))
