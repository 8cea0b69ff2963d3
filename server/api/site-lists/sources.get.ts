import { may } from '../../../protocol/roles.ts'
import { apiHandler } from '../../services/api-handler.ts'
import { shownSources } from '../../services/list-source.ts'

export default apiHandler(({ sql, principal }) => shownSources(sql, may(principal!.role, 'edit')))
