import { openApiDocument } from '../http/api-description.ts'
import { apiHandler } from '../http/api-handler.ts'

export default apiHandler(async () => openApiDocument())
