import { answering } from '../services/answering.ts'

export default answering(async () => ({ ok: true }))
