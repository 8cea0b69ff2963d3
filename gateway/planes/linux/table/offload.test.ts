import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { OffloadWatch, type Offload } from './offload.ts'
import type { RouterSystem } from '../system.ts'

beforeEach(() => void vi.useFakeTimers({ toFake: ['Date'] }))
afterEach(() => void vi.useRealTimers())

/** A firewall as `nft -a -t list ruleset` prints it. */
const firewall = (...rules: string[]) => `table inet theirs { # handle 4
	flowtable fast { # handle 1
		hook ingress priority filter
		devices = { br0, wan }
		flags offload
	}

	chain forward { # handle 2
		type filter hook forward priority filter; policy drop;
${rules.map((rule, index) => `\t\t${rule} # handle ${index + 5}\n`).join('')}	}
}
table inet kairostat { # handle 9
	chain forward { # handle 1
		type filter hook forward priority -5; policy accept;
		ct mark & 0xffff0000 == 0x00010000 accept # handle 3
	}
}
`
const ESTABLISHED = 'ct state established,related accept'
const HANDING = 'meta l4proto { tcp, udp } flow add @fast'
const bound = (marks: string) => `ct mark & 0xffff0000 { ${marks} } ${HANDING}`

/**
 * The text that is fed to a router with such a firewall; looks at it by `look`, or says whom a policy never
 * restricts.
 */
function watch(offload: Offload, ruleset: string) {
  const router = { ruleset, unrestricted: [0x10000, 0xffff0000] as number[] | null }
  let fed = ''
  const run: RouterSystem['run'] = async (_command, args, input = '') => {
    if (args.includes('flowtables'))
      return JSON.stringify({
        nftables: [{ flowtable: { family: 'inet', table: 'theirs', name: 'fast' } }].slice(
          router.ruleset.includes('flowtable') ? 0 : 1,
        ),
      })
    if (args.includes('-f')) fed = input
    return args.includes('ruleset') ? router.ruleset : ''
  }
  const watched = new OffloadWatch({
    system: { run } as RouterSystem,
    offload,
    unrestricted: () => router.unrestricted,
  })
  const look = async () => {
    fed = ''
    return { passing: await watched.look(), fed }
  }
  return { router, look }
}

/** Lines that make the flow table anew, with rules in their places. */
const anew = (deleted: readonly number[], ...added: string[]) =>
  [
    ...deleted.map((handle) => `delete rule inet theirs forward handle ${handle}`),
    'delete flowtable inet theirs fast',
    'add flowtable inet theirs fast {\nhook ingress priority filter\ndevices = { br0, wan }\nflags offload\n}',
    ...added,
    '',
  ].join('\n')
const TO = 'ct mark and 0xffff0000 { 0x10000, 0xffff0000 }'

test.each([
  [
    'behind another rule',
    [ESTABLISHED, HANDING],
    anew([6], `add rule inet theirs forward handle 5 ${TO} ${HANDING}`),
  ],
  ['as the first', [HANDING, ESTABLISHED], anew([5], `insert rule inet theirs forward ${TO} ${HANDING}`)],
  [
    'two behind each other, one with a comment',
    [ESTABLISHED, `${HANDING} comment "a"`, HANDING],
    anew(
      [6, 7],
      `add rule inet theirs forward handle 5 ${TO} ${HANDING}`,
      `add rule inet theirs forward handle 5 ${TO} ${HANDING} comment "a"`,
    ),
  ],
  [
    'bound to who is restricted now',
    [bound('0x00000000, 0x00010000, 0x00020000, 0xffff0000')],
    anew([5], `insert rule inet theirs forward ${TO} ${HANDING}`),
  ],
  [
    'bound to fewer than may',
    [bound('0x00010000')],
    `replace rule inet theirs forward handle 5 ${TO} ${HANDING}\n`,
  ],
  ['bound as it should be', [bound('0x00010000, 0xffff0000')], ''],
])('where that was agreed, a rule that hands over is bound: %s', async (_, rules, lines) => {
  const { look } = watch('unrestricted', firewall(...rules))
  expect(await look()).toEqual({ passing: [], fed: lines })
})

test('what has no mark may be handed over once what was there has one', async () => {
  const { router, look } = watch('unrestricted', firewall(HANDING))
  await look()
  router.ruleset = firewall(bound('0x00010000, 0xffff0000'))
  expect((await look()).fed).toBe('')
  vi.setSystemTime(Date.now() + 6000)
  expect((await look()).fed).toMatch(/^replace rule .* \{ 0x10000, 0xffff0000, 0x0 \} /)
  // A firewall that is loaded anew begins again.
  router.ruleset = firewall(HANDING)
  expect((await look()).fed).toContain(`${TO} ${HANDING}`)
})

test('where all are restricted nobody is handed over; without a policy nothing is changed', async () => {
  const { router, look } = watch('unrestricted', firewall(HANDING))
  router.unrestricted = null
  expect(await look()).toEqual({ passing: [], fed: '' })
  router.unrestricted = []
  expect((await look()).fed).toContain('{ 0x1 }')
})

test('a rule that does more than hand over is left alone, and its flow table told', async () => {
  const { look } = watch('unrestricted', firewall(`${HANDING} counter packets 0 bytes 0 accept`))
  expect(await look()).toEqual({ passing: ['inet theirs fast'], fed: '' })
})

test('where it was not agreed, flow tables are told, and what was bound before is let go, once', async () => {
  const { look, router } = watch('all', firewall(bound('0x00010000')))
  expect(await look()).toEqual({
    passing: ['inet theirs fast'],
    fed: `replace rule inet theirs forward handle 5 ${HANDING}\n`,
  })
  expect((await look()).fed).toBe('')
  router.ruleset = ''
  expect(await look()).toEqual({ passing: [], fed: '' })
})
