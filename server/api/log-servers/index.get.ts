import { apiHandler } from '../../http/api-handler.ts'
import { logServersAnswer } from '../../notices/log-servers.ts'

export default apiHandler(({ sql }) => logServersAnswer(sql))
