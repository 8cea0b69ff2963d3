import type { StepsAnswer } from '../../../protocol/answers.ts'
import { stepForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { nextSteps, takeStep } from '../../draft/edit.ts'

export default apiHandler(async ({ sql, event }): Promise<StepsAnswer> => {
  const { to, step, anyway } = await bodyOf(event, stepForm)
  await takeStep(sql, to, step, anyway)
  return nextSteps(sql)
})
