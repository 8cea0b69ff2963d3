import { afterAll, beforeEach, describe, expect, test } from 'vitest'
import { ROLES, type Role } from '../../protocol/roles.ts'
import { openEmbedded, type Database } from '../sql/database.ts'
import { migrate } from '../sql/migrate.ts'
import { cameFrom } from '../../tests/support/came-from.ts'
import { change, invite, join, lookAt, peopleAnswer, remove, withdraw } from './people.ts'
import { principalOf, setUp, signIn } from './sign-in.ts'
import { bearerOf, makeToken } from './tokens.ts'

const [PASSWORD, HERE] = ['a long password', '192.0.2.1']
let sql: Database
beforeEach(async () => {
  sql ??= await openEmbedded(null)
  await sql.exec('drop schema public cascade; create schema public')
  await migrate(sql)
  await setUp(sql, 'ada', PASSWORD)
})
afterAll(() => sql.close())

/** Has somebody join in a role, and sign in. */
async function joined(name: string, role: Role): Promise<string> {
  const { code } = await invite(sql, role, 'ada')
  await join(sql, { code, name, password: PASSWORD }, HERE)
  return signIn(sql, name, PASSWORD, cameFrom(HERE))
}
const listed = async () =>
  (await peopleAnswer(sql)).people.map(
    ({ name, role, isDisabled }) => `${name} ${role}${isDisabled ? ' off' : ''}`,
  )

describe('people', () => {
  test('who is invited joins once, in the role that was said; the code is not stored', async () => {
    for (const role of ROLES)
      expect(await principalOf(sql, await joined(`the-${role}`, role))).toEqual({
        account: `the-${role}`,
        role,
      })
    const { code } = await invite(sql, 'viewer', 'ada')
    expect(await lookAt(sql, code, HERE)).toEqual({ role: 'viewer', place: '' })
    expect(JSON.stringify(await sql.query('select * from invitation'))).not.toContain(code)
    const attempts = await Promise.allSettled(
      ['bea', 'cem', 'dov'].map((name) => join(sql, { code, name, password: PASSWORD }, HERE)),
    )
    expect(attempts.filter(({ status }) => status === 'fulfilled').length).toBe(1)
    expect((await peopleAnswer(sql)).invitations).toEqual([])
    expect(await listed()).toContain('ada administrator')
  })

  test('an invitation that was withdrawn, or is over, invites nobody; a name that is taken uses none up', async () => {
    const [gone, late, taken] = [
      await invite(sql, 'editor', 'ada'),
      await invite(sql, 'editor', 'ada'),
      await invite(sql, 'editor', 'ada'),
    ]
    await withdraw(sql, gone.id)
    await expect(withdraw(sql, gone.id)).rejects.toMatchObject({ code: 'not-found' })
    await sql.query(`update invitation set until_at = now() where id = $1`, [late.id])
    for (const { code } of [gone, late])
      await expect(join(sql, { code, name: 'bea', password: PASSWORD }, HERE)).rejects.toMatchObject({
        code: 'wrong-invitation',
      })
    await expect(
      join(sql, { code: taken.code, name: 'ada', password: PASSWORD }, HERE),
    ).rejects.toMatchObject({
      code: 'name-taken',
    })
    await join(sql, { code: taken.code, name: 'bea', password: PASSWORD }, HERE)
  })

  test('of a thousand codes that are tried five are looked at, and who was invited elsewhere joins meanwhile', async () => {
    const { code } = await invite(sql, 'viewer', 'ada')
    const codes = new Map<string, number>()
    for (let tried = 0; tried < 1000; tried++)
      await lookAt(sql, `guess-${tried}`, HERE).catch(({ code: why }: { code: string }) =>
        codes.set(why, (codes.get(why) ?? 0) + 1),
      )
    expect(Object.fromEntries(codes)).toEqual({ 'wrong-invitation': 5, 'too-many-tries': 995 })
    await expect(lookAt(sql, code, HERE)).rejects.toMatchObject({ code: 'too-many-tries' })
    expect((await lookAt(sql, code, '192.0.2.9')).role).toBe('viewer')
  })

  test('who is disabled or deleted is signed out, with what they made; the last administrator stays', async () => {
    const token = await joined('bea', 'administrator')
    const { token: secret } = await makeToken(sql, 'graphs', 'bea')
    const bearer = `Bearer ${secret}`
    expect(await bearerOf(sql, bearer)).toEqual({ account: 'bea', role: 'viewer' })
    await change(sql, 'bea', 'administrator', true)
    expect([await principalOf(sql, token), await bearerOf(sql, bearer)]).toEqual([null, null])
    await expect(signIn(sql, 'bea', PASSWORD, cameFrom(HERE))).rejects.toMatchObject({
      code: 'wrong-password',
    })
    for (const attempt of [
      () => change(sql, 'ada', 'editor', false),
      () => change(sql, 'ada', 'administrator', true),
      () => remove(sql, 'ada'),
    ])
      await expect(attempt()).rejects.toMatchObject({ code: 'last-administrator' })
    await change(sql, 'bea', 'administrator', false)
    expect(await principalOf(sql, await signIn(sql, 'bea', PASSWORD, cameFrom(HERE)))).toMatchObject({
      account: 'bea',
    })
    // Of two that take each other's role away at once, one succeeds.
    const both = await Promise.allSettled([
      change(sql, 'ada', 'viewer', false),
      change(sql, 'bea', 'viewer', false),
    ])
    expect(both.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected'])
    expect((await listed()).filter((line) => line.endsWith('administrator')).length).toBe(1)
    await expect(remove(sql, 'nobody')).rejects.toMatchObject({ code: 'not-found' })
  })
})
