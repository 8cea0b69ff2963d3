import { apiHandler } from '../../http/api-handler.ts'
import { overrideActs } from '../../live/live.ts'

/** How many acts are shown at most. */
const SHOWN = 500

export default apiHandler(({ sql }) => overrideActs(sql, SHOWN))
