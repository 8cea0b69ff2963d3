import { answering } from '../../services/answering.ts'
import { seenNames } from '../../sql/lookup.ts'

export default answering(({ sql }) => seenNames(sql))
