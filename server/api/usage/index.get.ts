import { usageForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../http/api-handler.ts'
import { usage } from '../../activity/usage.ts'

export default apiHandler(async ({ sql, event, keepUsage, log }) => {
  const query = await queryOf(event, usageForm)
  // A gateway that is away is told of at the top of every page; what was kept is still an answer.
  await keepUsage().catch((error: unknown) => log.warn(error, 'usage'))
  return usage(sql, query)
})
