import { leaveForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, idOf } from '../../services/answering.ts'
import { Refused } from '../../services/errors.ts'
import { tell } from '../../sql/database.ts'
import { leaveAlone } from '../../sql/sighting.ts'

export default answering(async ({ sql, event }) => {
  const { leftAlone } = await bodyOf(event, leaveForm)
  if (!(await leaveAlone(sql, idOf(event), leftAlone)))
    throw new Refused('not-found', 'Nobody with this address was ever seen.')
  await tell(sql, 'sightings')
  return {}
})
