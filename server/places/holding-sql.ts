import type { GatewayState } from '../../protocol/gateway/gateway.ts'
import type { Sql } from '../database/database.ts'

/**
 * The process that runs a place, by the address at which other processes reach it, and the standing of the
 * gateway.
 */
export interface Holding {
  readonly peer: string
  readonly state: GatewayState
  readonly isSimulated: boolean
  readonly alarms: number
}

/** Returns the process that runs the place, or did last; `null` = none yet. */
export async function holding(sql: Sql): Promise<Holding | null> {
  const [row] = await sql.query<Holding>(
    'select peer, state, is_simulated as "isSimulated", alarms from holding',
  )
  return row ?? null
}

/** Notes who runs the place, and how its gateway stands. */
export async function saveHolding(sql: Sql, { peer, state, isSimulated, alarms }: Holding): Promise<void> {
  await sql.query(
    `insert into holding (peer, state, is_simulated, alarms) values ($1, $2, $3, $4)
    on conflict (place) do update set peer = $1, state = $2, is_simulated = $3, alarms = $4`,
    [peer, state, isSimulated, alarms],
  )
}

/**
 * The secret by which the processes on this database know each other; the one offered where there is none
 * yet.
 */
export async function peerSecret(sql: Sql, offered: string): Promise<string> {
  await sql.query('insert into peer_secret (secret) values ($1) on conflict do nothing', [offered])
  const [row] = await sql.query<{ secret: string }>('select secret from peer_secret')
  return row!.secret
}
