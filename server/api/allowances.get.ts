import type { AllowanceAnswer } from '../../protocol/answers.ts'
import { apiHandler } from '../http/api-handler.ts'
import { ofGateway } from '../gateways/of-gateway.ts'

export default apiHandler(async ({ gateway }): Promise<AllowanceAnswer> => {
  const now = new Date().toISOString().replace(/\.\d+/, '')
  const { at, uses } = await ofGateway(gateway.allowances(now))
  return { at, uses }
})
