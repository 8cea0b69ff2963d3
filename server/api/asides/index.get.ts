import type { AsideAnswer } from '../../../protocol/answers.ts'
import { answering } from '../../services/answering.ts'
import { asides } from '../../sql/aside.ts'

export default answering(({ sql }): Promise<AsideAnswer[]> => asides(sql))
