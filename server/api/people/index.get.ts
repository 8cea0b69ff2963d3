import { apiHandler } from '../../http/api-handler.ts'
import { peopleAnswer } from '../../accounts/people.ts'

export default apiHandler(({ sql }) => peopleAnswer(sql))
