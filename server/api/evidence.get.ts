import { answering } from '../services/answering.ts'
import { Refused } from '../services/errors.ts'

export default answering(({ gateway }) => gateway.evidence().catch((error: Error) => {
  throw new Refused('gateway-away', error.message)
}))
