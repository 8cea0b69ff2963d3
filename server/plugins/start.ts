import { context } from '../services/context.ts'

// Opens data and gateway when the server starts rather than at the first request, and closes them in order.
export default defineNitroPlugin((nitro) => {
  void context()
  nitro.hooks.hook('close', async () => (await context()).close())
})
