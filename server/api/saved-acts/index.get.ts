import { apiHandler } from '../../http/api-handler.ts'
import { savedActs } from '../../live/saved-acts.ts'

export default apiHandler(({ sql }) => savedActs(sql))
