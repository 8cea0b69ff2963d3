import { apiHandler } from '../../services/api-handler.ts'
import { webhooksAnswer } from '../../services/notices.ts'

export default apiHandler(({ sql }) => webhooksAnswer(sql))
