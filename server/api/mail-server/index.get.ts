import { apiHandler } from '../../http/api-handler.ts'
import { mailServerAnswer } from '../../notices/notices.ts'

export default apiHandler(({ sql }) => mailServerAnswer(sql))
