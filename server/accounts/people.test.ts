import { afterAll, beforeEach, describe, expect, test } from 'vitest'
import type { ValidationError } from 'yup'
import { invitationForm, joinForm } from '../../protocol/forms.ts'
import { ROLES, TOKEN_ROLES, type Rights, type Role, type TokenRole } from '../../protocol/roles.ts'
import type { Database } from '../database/database.ts'
import { saveGroup } from '../draft/device-sql.ts'
import { cameFrom } from '../../tests/support/came-from.ts'
import { change, invite, join, lookAt, peopleAnswer, remove, withdraw } from './people.ts'
import { principalOf, setUp, signIn } from './sign-in.ts'
import { bearerOf, makeToken, tokens } from './tokens.ts'
import { emptyDatabase } from '../../tests/support/database.ts'

const [PASSWORD, HERE] = ['a long password', '192.0.2.1']
let sql: Database
beforeEach(async () => {
  sql = await emptyDatabase(sql)
  await setUp(sql, 'ada', PASSWORD)
  await saveGroup(sql, { id: 'apprentices', name: 'Apprentices', members: [], person: false, note: '' })
})
afterAll(() => sql.close())

/** The rights of a role: a helper ten minutes for the apprentices. */
const as = (role: Role): Rights => ({
  role,
  limit: role === 'helper' ? { minutes: 10, groups: ['apprentices'] } : null,
})

/** Has somebody join in a role, and sign in. */
async function joined(name: string, role: Role): Promise<string> {
  const { code } = await invite(sql, as(role), 'ada')
  await join(sql, { code, name, password: PASSWORD }, HERE)
  return signIn(sql, name, PASSWORD, cameFrom(HERE))
}
const listed = async () =>
  (await peopleAnswer(sql)).people.map(
    ({ name, role, isDisabled }) => `${name} ${role}${isDisabled ? ' off' : ''}`,
  )

/** Returns the faults of an invitation by their paths. */
const faultsOf = (rights: unknown) =>
  invitationForm.validate(rights, { abortEarly: false }).then(
    () => [],
    (error: ValidationError) => error.inner.map(({ path }) => path),
  )

test('a token does what it was made for, as far as who made it still may, and until it ends', async () => {
  await joined('bea', 'administrator')
  const tokenFor = async (role: TokenRole, days: number | null = null) =>
    `Bearer ${(await makeToken(sql, { name: role, role, days }, 'bea')).token}`
  const roleOf = async (bearer: string) => (await bearerOf(sql, bearer))?.role ?? null
  const bearers = await Promise.all(TOKEN_ROLES.map((role) => tokenFor(role)))
  const roles = () => Promise.all(bearers.map(roleOf))
  expect(await roles()).toEqual(['viewer', 'viewer', 'editor', 'administrator'])
  await change(sql, 'bea', as('editor'), false)
  expect(await roles()).toEqual(['viewer', 'viewer', 'editor', 'editor'])
  await change(sql, 'bea', as('helper'), false)
  expect(await bearerOf(sql, bearers[3])).toMatchObject({ ...as('helper'), token: 'administrator' })
  await change(sql, 'bea', as('viewer'), false)
  expect(await roles()).toEqual(['viewer', 'viewer', 'viewer', 'viewer'])
  const short = await tokenFor('viewer', 1)
  expect(await roleOf(short)).toBe('viewer')
  await sql.query(`update token set expires_at = now() where expires_at is not null`)
  expect([await roleOf(short), (await tokens(sql)).length]).toEqual([null, 4])
})

describe('people', () => {
  test('who is invited joins once, in the role that was said; the code is not stored', async () => {
    for (const role of ROLES)
      expect(await principalOf(sql, await joined(`the-${role}`, role))).toEqual({
        account: `the-${role}`,
        ...as(role),
        token: null,
      })
    const { code } = await invite(sql, as('viewer'), 'ada')
    expect(await lookAt(sql, code, HERE)).toEqual({ ...as('viewer'), place: '' })
    expect(JSON.stringify(await sql.query('select * from invitation'))).not.toContain(code)
    const attempts = await Promise.allSettled(
      ['bea', 'cem', 'dov'].map((name) => join(sql, { code, name, password: PASSWORD }, HERE)),
    )
    expect(attempts.filter(({ status }) => status === 'fulfilled').length).toBe(1)
    expect((await peopleAnswer(sql)).invitations).toEqual([])
    expect(await listed()).toContain('ada administrator')
  })

  test('a helper has a limit that names groups that are there, nobody else has one', async () => {
    const limit = { minutes: 10, groups: ['nobody'] }
    await expect(invite(sql, { role: 'helper', limit }, 'ada')).rejects.toMatchObject({
      code: 'unknown-part',
    })
    for (const [rights, faults] of [
      [{ role: 'helper' }, ['limit']],
      [{ role: 'helper', limit: null }, ['limit']],
      [{ role: 'editor', limit: as('helper').limit }, ['limit']],
      [{ role: 'helper', limit: { minutes: 0, groups: [] } }, ['limit.minutes', 'limit.groups']],
      [as('helper'), []],
      [{ role: 'editor' }, []],
    ] as const)
      expect([rights, await faultsOf(rights)]).toEqual([rights, faults])
  })

  test('an invitation that was withdrawn, or is over, invites nobody; a name that is taken uses none up', async () => {
    const [gone, late, taken] = [
      await invite(sql, as('editor'), 'ada'),
      await invite(sql, as('editor'), 'ada'),
      await invite(sql, as('editor'), 'ada'),
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
    const { code } = await invite(sql, as('viewer'), 'ada')
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
    const { token: secret } = await makeToken(sql, { name: 'graphs', role: 'live', days: null }, 'bea')
    const bearer = `Bearer ${secret}`
    expect(await bearerOf(sql, bearer)).toEqual({ account: 'bea', ...as('viewer'), token: 'live' })
    await change(sql, 'bea', as('administrator'), true)
    expect([await principalOf(sql, token), await bearerOf(sql, bearer)]).toEqual([null, null])
    await expect(signIn(sql, 'bea', PASSWORD, cameFrom(HERE))).rejects.toMatchObject({
      code: 'wrong-password',
    })
    for (const attempt of [
      () => change(sql, 'ada', as('editor'), false),
      () => change(sql, 'ada', as('administrator'), true),
      () => remove(sql, 'ada'),
    ])
      await expect(attempt()).rejects.toMatchObject({ code: 'last-administrator' })
    await change(sql, 'bea', as('administrator'), false)
    expect(await principalOf(sql, await signIn(sql, 'bea', PASSWORD, cameFrom(HERE)))).toMatchObject({
      account: 'bea',
    })
    // Of two that take each other's role away at once, one succeeds.
    const both = await Promise.allSettled([
      change(sql, 'ada', as('viewer'), false),
      change(sql, 'bea', as('viewer'), false),
    ])
    expect(both.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected'])
    expect((await listed()).filter((line) => line.endsWith('administrator')).length).toBe(1)
    await expect(remove(sql, 'nobody')).rejects.toMatchObject({ code: 'not-found' })
  })
})

test('what somebody invited to ends with the right to invite', async () => {
  const ways: Record<string, () => Promise<void>> = {
    deleted: () => remove(sql, 'deleted'),
    demoted: () => change(sql, 'demoted', as('editor'), false),
    disabled: () => change(sql, 'disabled', as('administrator'), true),
  }
  for (const [name, end] of Object.entries(ways)) {
    await joined(name, 'administrator')
    const { code } = await invite(sql, as('administrator'), name)
    await end()
    await expect(join(sql, { code, name: `${name}-again`, password: PASSWORD }, HERE)).rejects.toMatchObject({
      code: 'wrong-invitation',
    })
  }
  expect((await peopleAnswer(sql)).invitations).toEqual([])
})

test('nobody can have a name under which Kairostat itself is written down', async () => {
  for (const name of ['list refreshed', ' List Refreshed ', 'KAIROSTAT'])
    await expect(joinForm.validate({ code: 'x'.repeat(22), name, password: PASSWORD })).rejects.toThrow(
      'choose another one',
    )
})

test('tries are counted of a network of IPv6, whatever address in it they come from', async () => {
  const codes: string[] = []
  for (let host = 1; host <= 7; host++)
    codes.push(
      await signIn(sql, 'ada', 'wrong password', cameFrom(`2001:db8:0:7::${host}`)).then(
        () => 'in',
        ({ code }: { code: string }) => code,
      ),
    )
  expect(codes).toEqual([...Array<string>(5).fill('wrong-password'), 'too-many-tries', 'too-many-tries'])
  expect(await signIn(sql, 'ada', PASSWORD, cameFrom('2001:db8:0:8::1'))).toBeTruthy()
})
