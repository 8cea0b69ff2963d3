import type { StepsAnswer } from '../../../protocol/answers.ts'
import { stepForm } from '../../../protocol/forms.ts'
import { answering, bodyOf } from '../../services/answering.ts'
import { takeStep } from '../../services/edit.ts'
import { stepNumbers } from '../../sql/draft-step.ts'

export default answering(async ({ sql, event }): Promise<StepsAnswer> => {
  const { to, step } = await bodyOf(event, stepForm)
  await takeStep(sql, to, step)
  return stepNumbers(sql)
})
