import { apiHandler } from '../../services/api-handler.ts'

export default apiHandler(async ({ pairing }) => pairing?.answer() ?? null)
