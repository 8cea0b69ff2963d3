import type { RevisionAnswer } from '../../../protocol/answers.ts'
import { answering } from '../../services/answering.ts'
import { revisions } from '../../sql/revision.ts'

export default answering(({ sql }): Promise<RevisionAnswer[]> => revisions(sql))
