import { apiHandler } from '../../http/api-handler.ts'
import { overrideActs } from '../../live/overrides.ts'

/** The most acts that are shown. */
const SHOWN = 500

export default apiHandler(({ sql }) => overrideActs(sql, SHOWN))
