import { stepForm } from '../../../shared/forms.ts'
import { answering, bodyOf } from '../../services/answering.ts'
import { takeStep } from '../../services/edit.ts'

export default answering(async ({ sql, event }) => {
  const { to, step } = await bodyOf(event, stepForm)
  await takeStep(sql, to, step)
  return {}
})
