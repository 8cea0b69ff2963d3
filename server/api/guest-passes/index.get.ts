import { apiHandler } from '../../services/api-handler.ts'
import { guestPasses } from '../../services/guest-pass.ts'

export default apiHandler(({ sql }) => guestPasses(sql))
