import { openApiDocument } from '../services/api-description.ts'
import { apiHandler } from '../services/api-handler.ts'

export default apiHandler(async () => openApiDocument())
