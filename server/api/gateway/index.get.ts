import { apiHandler } from '../../services/api-handler.ts'

export default apiHandler(async ({ link }) => link.view())
