import { answering } from '../services/answering.ts'
import { readLive } from '../services/live.ts'

export default answering(({ sql }) => readLive(sql))
