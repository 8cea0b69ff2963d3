import { answering } from '../../services/answering.ts'
import { overrideActs } from '../../sql/override.ts'

/** How many acts are shown at most. */
const SHOWN = 500

export default answering(({ sql }) => overrideActs(sql, SHOWN))
