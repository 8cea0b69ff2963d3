import { answering } from '../services/answering.ts'
import { Refused } from '../services/errors.ts'

export default answering(async ({ event }) => {
  throw new Refused('not-found', `No route answers ${event.method} ${event.path}.`)
})
