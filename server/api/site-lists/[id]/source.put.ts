import { listSourceForm } from '../../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../../http/api-handler.ts'
import { putListSource, refreshList } from '../../../lists/list-source.ts'

export default apiHandler(async (here) => {
  await putListSource(here.sql, idOf(here.event), await bodyOf(here.event, listSourceForm))
  await refreshList(here, idOf(here.event))
  return {}
})
