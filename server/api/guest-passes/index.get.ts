import { apiHandler } from '../../http/api-handler.ts'
import { guestPasses } from '../../live/guest-pass.ts'

export default apiHandler(({ sql }) => guestPasses(sql))
