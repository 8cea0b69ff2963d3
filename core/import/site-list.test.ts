import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { siteFindings } from '../findings/sites.ts'
import { readSites, shownSite } from './site-list.ts'
import { SITE_FORMATS, writeSites } from '../export/site-list.ts'

const ZONE = `$TTL 2h
$ORIGIN rpz.saltmarsh.example.
@  IN SOA localhost. root.localhost. (
      1 3600
      600 86400 300 )
   IN NS localhost.
; a comment
reelbrook.example      CNAME .
*.reelbrook.example    CNAME .
Clipriver.Example.rpz.saltmarsh.example.  300 IN CNAME *.
tilefall.example IN CNAME rpz-drop.
wiki.example CNAME rpz-passthru.
maps.example CNAME elsewhere.example.
24.0.113.0.203.rpz-ip CNAME .
128.9.zz.db8.2001.rpz-ip CNAME .
ns.example.rpz-nsdname CNAME .
other.example A 192.0.2.1
`

describe('lists of sites', () => {
  test.each<[string, string, string, string[], string[], [number, string][]]>([
    [
      'names and addresses, however they are parted',
      'reelbrook.example, clipriver.example\n203.0.113.64/28;2001:db8::1\n# a comment\nTILEFALL.example # games\n',
      'a plain list',
      ['reelbrook.example', 'clipriver.example', '203.0.113.64/28', '2001:db8::1', 'tilefall.example'],
      [],
      [],
    ],
    [
      'addresses from a browser',
      'https://www.reelbrook.example:8443/watch?v=1\nhttp://me@clipriver.example\n*.tilefall.example\nwww.example\n',
      'a plain list',
      ['reelbrook.example', 'clipriver.example', 'tilefall.example', 'www.example'],
      [
        'the scheme, the leading www., the port, the path taken off',
        'the scheme, the user taken off',
        'the leading *. taken off',
      ],
      [],
    ],
    [
      'international names',
      'Bücher.example\nxn--bcher-kva.example\n',
      'a plain list',
      ['xn--bcher-kva.example'],
      [],
      [],
    ],
    [
      'what is no site',
      'reelbrook.example\nno_such..name\n203.0.113.7/40\n',
      'a plain list',
      ['reelbrook.example'],
      [],
      [
        [2, 'is not a site'],
        [3, 'is not a site'],
      ],
    ],
    [
      'a hosts file',
      '127.0.0.1 localhost\n::1 ip6-localhost ip6-loopback\n0.0.0.0 reelbrook.example media.reelbrook.example # video\n0.0.0.0 0.0.0.0\nreelbrook.example\n',
      'a hosts file',
      ['reelbrook.example', 'media.reelbrook.example'],
      [],
      [[5, 'is not an IP address']],
    ],
    [
      'a response policy zone',
      ZONE,
      'a response policy zone',
      ['reelbrook.example', 'clipriver.example', 'tilefall.example', '203.0.113.0/24', '2001:db8::9'],
      [],
      [
        [12, 'lets the name through'],
        [13, 'leads elsewhere'],
        [16, 'rpz-nsdname has no counterpart'],
        [17, '“A” is not an action'],
      ],
    ],
    ['nothing', '\n\n', 'a plain list', [], [], []],
  ])('%s', (_, text, format, entries, reasons, unread) => {
    for (const newline of ['\n', '\r\n']) {
      const reading = readSites(text.replaceAll('\n', newline))
      expect([reading.format, reading.entries, reading.altered.map(({ reason }) => reason)]).toEqual([
        format,
        entries,
        reasons,
      ])
      expect(reading.unread.map(({ line, message }) => [line, message])).toEqual(
        unread.map(([line, words]) => [line, expect.stringContaining(words) as unknown]),
      )
    }
  })

  const label = fc
    .stringMatching(/^[a-z0-9]([a-z0-9-]{0,8}[a-z0-9])?$/)
    .filter((text) => !text.startsWith('www') && text.slice(2, 4) !== '--')
  const names = fc.tuple(label, label).map(([name, suffix]) => `${name}.${suffix}.example`)
  const blocks = fc.oneof(
    fc.ipV4().map((address) => `${address}/32`),
    fc.tuple(fc.ipV6(), fc.integer({ min: 1, max: 128 })).map(([address, length]) => `${address}/${length}`),
  )
  test('are read back from every form that can hold them', () => {
    fc.assert(
      fc.property(fc.array(fc.oneof(names, blocks), { minLength: 1, maxLength: 12 }), (written) => {
        const { entries } = readSites(written.join('\n'))
        const hosts = entries.filter((entry) => !/[:/]|^[\d.]+$/.test(entry))
        for (const format of SITE_FORMATS)
          expect([format, readSites(writeSites(entries, format)).entries]).toEqual([
            format,
            format === 'hosts' ? hosts : [...entries],
          ])
      }),
    )
  })

  test('an address alone on its line does not make a hosts file of what follows', () => {
    expect(readSites('0.0.0.0\nglue.example')).toMatchObject({
      format: 'a plain list',
      entries: ['0.0.0.0', 'glue.example'],
    })
  })

  test('no text makes the reading fail', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc
            .array(fc.constantFrom(...ZONE.split(/(\s)/), '0.0.0.0', '@', '*.', 'zz'))
            .map((words) => words.join('')),
        ),
        (text) => {
          const { entries } = readSites(text)
          expect(new Set(entries).size).toBe(entries.length)
          expect(readSites(entries.join('\n')).entries.length).toBeLessThanOrEqual(entries.length)
        },
      ),
      { numRuns: 1000 },
    )
  })

  test('tell of whole suffixes and of what is covered', () => {
    expect(
      siteFindings([
        'reelbrook.example',
        'media.reelbrook.example',
        'a.b.media.reelbrook.example',
        'co.uk',
        'shop.co.uk',
        'localdomain',
        '203.0.113.0/24',
        '203.0.113.9',
        '2001:db8::/32',
        '198.51.100.1',
      ]),
    ).toEqual([
      { kind: 'covered', entry: 'media.reelbrook.example', by: 'reelbrook.example' },
      { kind: 'covered', entry: 'a.b.media.reelbrook.example', by: 'media.reelbrook.example' },
      { kind: 'whole-suffix', entry: 'co.uk' },
      { kind: 'covered', entry: 'shop.co.uk', by: 'co.uk' },
      { kind: 'whole-suffix', entry: 'localdomain' },
      { kind: 'covered', entry: '203.0.113.9', by: '203.0.113.0/24' },
    ])
    expect(shownSite('xn--bcher-kva.example')).toBe('bücher.example')
  })
})
