import type { Gateway, GatewayChange } from '../../protocol/gateway.ts'

/** A gateway in whose place another may be put while it is in use. */
export class SwitchedGateway implements Gateway {
  #current: Gateway | null = null
  #reason = 'There is no gateway yet.'
  #switched = new AbortController()

  /** Puts another gateway in place; who watches the one before is told to watch anew. */
  use(gateway: Gateway): void {
    this.#switch(gateway)
  }

  /** Takes the gateway away, with the reason, which every call is answered with. */
  leave(reason: string): void {
    this.#reason = reason
    this.#switch(null)
  }

  #switch(gateway: Gateway | null): void {
    this.#current = gateway
    this.#switched.abort()
    this.#switched = new AbortController()
  }

  get #there(): Gateway {
    if (!this.#current) throw new Error(this.#reason)
    return this.#current
  }

  async status() {
    return this.#there.status()
  }
  async sightings() {
    return this.#there.sightings()
  }
  async evidence() {
    return this.#there.evidence()
  }
  async lookups(since: string | null) {
    return this.#there.lookups(since)
  }
  async usage(run: string | null, number: number) {
    return this.#there.usage(run, number)
  }
  async allowances(since: string | null) {
    return this.#there.allowances(since)
  }
  async set(settings: unknown) {
    return this.#there.set(settings)
  }
  async page(mac: string, name: string) {
    return this.#there.page(mac, name)
  }
  async requests() {
    return this.#there.requests()
  }
  async answerRequest(id: string, answer: unknown) {
    return this.#there.answerRequest(id, answer)
  }
  async check(proposal: Parameters<Gateway['check']>[0]) {
    return this.#there.check(proposal)
  }
  async enforce(proposal: Parameters<Gateway['enforce']>[0]) {
    return this.#there.enforce(proposal)
  }
  async amend(overrides: unknown, digest: string) {
    return this.#there.amend(overrides, digest)
  }
  async decision(mac: string, at: string) {
    return this.#there.decision(mac, at)
  }
  async simulation() {
    return this.#there.simulation()
  }
  async watch(changed: (change: GatewayChange) => void, signal: AbortSignal) {
    return this.#there.watch(changed, AbortSignal.any([signal, this.#switched.signal]))
  }
}
