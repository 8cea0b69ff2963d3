import { answering, idOf, insteadIn } from '../../services/answering.ts'
import { takeOut } from '../../services/draft.ts'

export default answering(async ({ sql, event }) => takeOut(sql, 'network', idOf(event), insteadIn(event)))
