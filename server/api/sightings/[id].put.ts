import { leaveForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../services/api-handler.ts'
import { ApiError } from '../../services/errors.ts'
import { tell } from '../../sql/database.ts'
import { leaveAlone } from '../../sql/sighting.ts'

export default apiHandler(async ({ sql, event }) => {
  const { leftAlone } = await bodyOf(event, leaveForm)
  if (!(await leaveAlone(sql, idOf(event), leftAlone)))
    throw new ApiError('not-found', 'Nobody with this address was ever seen.')
  await tell(sql, 'sightings')
  return {}
})
