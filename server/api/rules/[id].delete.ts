import { answering, idOf } from '../../services/answering.ts'
import { takeOut } from '../../services/draft.ts'

export default answering(({ sql, event }) => takeOut(sql, 'rule', idOf(event)))
