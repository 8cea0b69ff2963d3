import { answering } from '../../services/answering.ts'
import { readDraft } from '../../services/draft.ts'

export default answering(({ sql }) => readDraft(sql))
