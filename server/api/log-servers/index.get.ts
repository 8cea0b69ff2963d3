import { apiHandler } from '../../services/api-handler.ts'
import { logServersAnswer } from '../../services/log-servers.ts'

export default apiHandler(({ sql }) => logServersAnswer(sql))
