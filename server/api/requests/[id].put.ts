import { requestAnswerForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../http/api-handler.ts'
import { answerRequest, followRequests } from '../../live/requests.ts'

export default apiHandler(async ({ sql, gateway, link, event, account, limit, log }) => {
  await answerRequest(sql, idOf(event), await bodyOf(event, requestAnswerForm), account, limit)
  link.liveChanged()
  const view = await link.look()
  // A gateway that is away is told when it is back.
  await followRequests(sql, gateway).catch((error: unknown) => log.warn(error, 'answer to a request'))
  return { gateway: view }
})
