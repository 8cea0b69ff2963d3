import { apiHandler } from '../../http/api-handler.ts'
import { webhooksAnswer } from '../../notices/notices.ts'

export default apiHandler(({ sql }) => webhooksAnswer(sql))
