import { listSourceForm } from '../../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../../http/api-handler.ts'
import { putListSource, refreshList } from '../../../lists/list-source.ts'

export default apiHandler(async ({ sql, gateway, listLock, event }) => {
  await putListSource(sql, idOf(event), await bodyOf(event, listSourceForm))
  await refreshList({ sql, gateway, listLock }, idOf(event))
  return {}
})
