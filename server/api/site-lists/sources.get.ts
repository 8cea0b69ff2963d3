import { may } from '../../../protocol/roles.ts'
import { apiHandler } from '../../http/api-handler.ts'
import { shownSources } from '../../lists/list-source.ts'

export default apiHandler(({ sql, principal }) => shownSources(sql, may(principal!.role, 'edit')))
