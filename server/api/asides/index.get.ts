import type { AsideAnswer } from '../../../protocol/answers.ts'
import { apiHandler } from '../../services/api-handler.ts'
import { asides } from '../../sql/aside.ts'

export default apiHandler(({ sql }): Promise<AsideAnswer[]> => asides(sql))
