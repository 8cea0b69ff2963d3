import { answering, idOf } from '../../services/answering.ts'
import { takeOut } from '../../services/draft.ts'

export default answering(async ({ sql, event }) => {
  await takeOut(sql, 'rule', idOf(event))
  return {}
})
