import { listReviewForm } from '../../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../../http/api-handler.ts'
import { reviewList } from '../../../lists/list-source.ts'

export default apiHandler(async ({ sql, gateway, listLock, event }) => {
  await reviewList({ sql, gateway, listLock }, idOf(event), (await bodyOf(event, listReviewForm)).use)
  return {}
})
