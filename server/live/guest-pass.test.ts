import { afterAll, beforeEach, expect, test } from 'vitest'
import { canonicalText, digestOfText } from '../../core/policy/canonical.ts'
import { readInstant } from '../../core/time/instant.ts'
import type { Sighting } from '../../protocol/gateway/gateway.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { demoDocument } from '../demo/policy.ts'
import type { Database } from '../database/database.ts'
import { saveSightings } from '../gateways/sighting-sql.ts'
import { addRevision } from './revision-sql.ts'
import { fillDraft } from '../draft/edit.ts'
import { endGuestPass, guestPasses, makeGuestPass, useGuestPasses } from './guest-pass.ts'
import { readLive } from './live.ts'
import { setUp } from '../accounts/sign-in.ts'
import { emptyDatabase } from '../../tests/support/database.ts'

const demo = policyOf(demoDocument('2026-11-28'))
let sql: Database
beforeEach(async () => {
  sql = await emptyDatabase(sql)
})
afterAll(() => sql.close())

test('a guest pass allows the next unknown device on its network, once, and nobody who was there before', async () => {
  await setUp(sql, 'ada', 'a long password')
  await fillDraft(sql, demo)
  const document = canonicalText(demo)
  await addRevision(sql, { digest: digestOfText(document), document, author: 'ada', note: '' })
  const guest = (last: number, on = 'br-guest'): Sighting => ({
    mac: `02:5e:77:00:00:0${last}`,
    hostName: `guest-${last}`,
    addresses: [],
    interface: on,
    medium: 'wifi',
    connected: true,
    firstSeen: `2026-11-28T10:00:0${last}Z`,
    lastSeen: '2026-11-28T10:01:00Z',
  })
  await saveSightings(sql, [guest(1), guest(2, 'br-lan')])
  const wifi = { name: 'Bindery guests', key: 'glue-pot-7' }
  const make = (network: string | null, lasts: number) =>
    makeGuestPass(sql, { network, lasts, wifi: network === null ? null : wifi }, 'ada')
  await expect(make('cellar', 60)).rejects.toMatchObject({ code: 'unknown-part' })
  const [first, second] = [await make('guest', 3600), await make('guest', 7200)]
  const given = async () =>
    (await readLive(sql)).policy.overrides.map(({ effect, who, from, until }) => [
      effect,
      who.macs,
      readInstant(until!)! - readInstant(from)!,
    ])
  const known = { ...guest(9), mac: demo.devices[0]!.adapters[0]!.mac }
  // A device that was there, is known, or is elsewhere is no guest.
  await useGuestPasses(sql, [guest(1), known, guest(2, 'br-lan'), guest(3, 'br-lan')])
  expect(await given()).toEqual([])
  await useGuestPasses(sql, [guest(5), guest(4), guest(1)])
  await useGuestPasses(sql, [guest(6), guest(5), guest(4), guest(1)])
  expect(await given()).toEqual([
    ['allow', [guest(4).mac], 3600],
    ['allow', [guest(5).mac], 7200],
  ])
  const { passes, wifi: told } = await guestPasses(sql)
  expect(passes.map(({ id, usedBy }) => [id, usedBy]).sort()).toEqual(
    [
      [first, guest(4).mac],
      [second, guest(5).mac],
    ].sort(),
  )
  expect(told).toEqual({ guest: wifi })
  await expect(endGuestPass(sql, first)).rejects.toMatchObject({ code: 'not-found' })
  // One that was ended or has waited too long is for nobody.
  await endGuestPass(sql, await make(null, 60))
  const late = await make(null, 60)
  await sql.query('update guest_pass set until_at = now() where id = $1', [late])
  await useGuestPasses(sql, [guest(7)])
  expect(await given()).toHaveLength(2)
})
