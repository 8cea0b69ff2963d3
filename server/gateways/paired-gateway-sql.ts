import { HERE, type Sql } from '../database/database.ts'

/** The gateway with which a place is paired: `host:port`, and the secret that it was given. */
export interface PairedGateway {
  readonly address: string
  readonly secret: string
}

/** The gateway with which the place is paired; `null` = none. */
export async function pairedGateway(sql: Sql): Promise<PairedGateway | null> {
  const [row] = await sql.query<PairedGateway>('select address, secret from paired_gateway')
  return row ?? null
}

/** Pairs the place with a gateway; `null` = with none. */
export async function savePairedGateway(sql: Sql, paired: PairedGateway | null): Promise<void> {
  await sql.query(`delete from paired_gateway where place = ${HERE}`)
  if (paired)
    await sql.query('insert into paired_gateway (address, secret) values ($1, $2)', [
      paired.address,
      paired.secret,
    ])
}
