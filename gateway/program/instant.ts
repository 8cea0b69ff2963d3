import { readInstant } from '../../core/time/instant.ts'
import { GatewayRefusal } from '../../protocol/gateway/gateway.ts'

/**
 * The seconds since 1970 of an instant that a gateway is told.
 *
 * @throws GatewayRefusal where it is none
 */
export function secondsOf(text: string): number {
  const at = readInstant(text)
  if (at === null)
    throw new GatewayRefusal(`"${text}" is not an instant: write it like 2026-11-27T21:30:00Z.`)
  return at
}
