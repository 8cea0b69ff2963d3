import { learnedForm } from '../../../protocol/forms.ts'
import { answering, ofGateway, queryOf } from '../../services/answering.ts'
import { learnedNames } from '../../sql/lookup.ts'

export default answering(async ({ sql, event, keepLookups }) => {
  const { macs, from, until } = await queryOf(event, learnedForm)
  await ofGateway(keepLookups())
  return learnedNames(sql, macs.split(','), from, until)
})
