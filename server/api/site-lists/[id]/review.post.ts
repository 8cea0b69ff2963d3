import { listReviewForm } from '../../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../../http/api-handler.ts'
import { reviewList } from '../../../lists/list-source.ts'

export default apiHandler(async (here) => {
  await reviewList(here, idOf(here.event), (await bodyOf(here.event, listReviewForm)).use)
  return {}
})
