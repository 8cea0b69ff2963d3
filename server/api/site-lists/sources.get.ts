import { apiHandler } from '../../services/api-handler.ts'
import { listSources } from '../../services/list-source.ts'

export default apiHandler(({ sql }) => listSources(sql))
