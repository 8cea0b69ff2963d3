import { apiHandler } from '../../services/api-handler.ts'
import { mailServerAnswer } from '../../services/notices.ts'

export default apiHandler(({ sql }) => mailServerAnswer(sql))
