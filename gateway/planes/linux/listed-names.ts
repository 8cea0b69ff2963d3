/**
 * The time for which the addresses of a name are valid, and the most names that one client may have asked for
 * within a minute, and all at a time.
 */
const VALID_MS = 300_000
const PER_CLIENT = 30
const MINUTE = 60_000
const AT_ONCE = 8
const WAITING = 2000

/**
 * Asks for the addresses of listed names whose look-ups are blocked, so that the addresses can be blocked
 * too. Only what stands in a list is
 * asked for, by the gateway itself and once in a while, so that nothing that a client says reaches anybody.
 *
 * @param find asks for the addresses of a name, and takes them where they belong
 */
export function listedNames(
  find: (name: string) => Promise<void>,
  fault: (error: unknown) => void,
): (name: string, client: string) => void {
  const askedAt = new Map<string, number>()
  const clients = new Map<string, { since: number; count: number }>()
  const waiting: string[] = []
  let asking = 0
  const next = () => {
    const name = waiting.shift()
    if (name === undefined) return
    asking++
    find(name)
      .catch(fault)
      .finally(() => {
        asking--
        next()
      })
  }
  return (name, client) => {
    const now = performance.now()
    if (now - (askedAt.get(name) ?? -Infinity) < VALID_MS || waiting.length >= WAITING) return
    const own = clients.get(client)
    if (!own || now - own.since > MINUTE) clients.set(client, { since: now, count: 1 })
    else if (++own.count > PER_CLIENT) return
    if (askedAt.size >= WAITING * 10) askedAt.clear()
    if (clients.size >= WAITING) clients.clear()
    askedAt.set(name, now)
    waiting.push(name)
    if (asking < AT_ONCE) next()
  }
}
