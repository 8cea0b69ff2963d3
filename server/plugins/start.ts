import { context } from '../http/context.ts'

// Opens data and gateway when the server starts rather than at the first request.
export default defineNitroPlugin(() => void context())
