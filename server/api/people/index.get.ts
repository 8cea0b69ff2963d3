import { apiHandler } from '../../services/api-handler.ts'
import { peopleAnswer } from '../../services/people.ts'

export default apiHandler(({ sql }) => peopleAnswer(sql))
