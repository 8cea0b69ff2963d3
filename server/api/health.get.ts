import { apiHandler } from '../http/api-handler.ts'

export default apiHandler(async () => ({ ok: true }))
