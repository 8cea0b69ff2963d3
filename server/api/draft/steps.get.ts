import type { StepsAnswer } from '../../../shared/answers.ts'
import { answering } from '../../services/answering.ts'
import { stepsAt } from '../../services/edit.ts'

export default answering(({ sql }): Promise<StepsAnswer> => stepsAt(sql))
