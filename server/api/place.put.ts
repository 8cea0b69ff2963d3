import { placeForm } from '../../protocol/forms.ts'
import { answering, bodyOf } from '../services/answering.ts'
import { changePlace } from '../services/draft.ts'

export default answering(async ({ sql, event }) => {
  await changePlace(sql, await bodyOf(event, placeForm))
  return {}
})
