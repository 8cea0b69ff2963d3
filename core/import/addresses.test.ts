import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { readAddresses } from './addresses.ts'
import { intakeOf } from './intake.ts'

type Row = [mac: string, hostName: string | null, medium: string | null, ...addresses: string[]]
const found = (text: string) => {
  const reading = readAddresses(text)
  return reading.kind === 'devices' ? [] : reading.found
}
const rows = (text: string): Row[] =>
  found(text).map(({ mac, hostName, medium, addresses }) => [mac, hostName, medium, ...addresses])
const [A, B, C] = ['02:5e:10:00:00:01', '02:5e:10:00:00:02', '02:5e:10:00:00:03']

/**
 * `ipconfig /all` with the labels of a language: [title of the first block, host name, wired, wireless,
 * physical, IPv4, IPv6, gateway].
 */
const ipconfig = ([title, host, wired, wireless, physical, v4, v6, gateway]: string[]) =>
  `
${title}

   ${host} . . . . . . . . . . . . : press-laptop
   DHCP . . . . . . . . . . . . . . . : Ja

${wired} Ethernet:

   ${physical} . . . . . . . . . : 02-5E-10-00-00-01
   ${v6} . . : fe80::1c2d:3e4f%11(Preferred)
   ${v4}  . . . . . . . . . . : 192.0.2.11(Preferred)
   ${gateway} . . . . . . . . : 192.0.2.254
   DHCPv6-Client-DUID . . . . . . . . : 00-01-00-01-2A-2B-2C-2D-02-5E-10-00-00-01

${wireless} Wi-Fi:

   Media . . . . . . . . . . . . : Disconnected
   ${physical} . . . . . . . . . : 02-5E-10-00-00-02
`.replaceAll('\n', '\r\n')

const FORMATS: [name: string, format: string, text: string, rows: Row[]][] = [
  ...[
    [
      'English',
      'Windows IP Configuration',
      'Host Name',
      'Ethernet adapter',
      'Wireless LAN adapter',
      'Physical Address',
      'IPv4 Address',
      'Link-local IPv6 Address',
      'Default Gateway',
    ],
    [
      'German',
      'Windows-IP-Konfiguration',
      'Hostname',
      'Ethernet-Adapter',
      'Drahtlos-LAN-Adapter',
      'Physische Adresse',
      'IPv4-Adresse',
      'Verbindungslokale IPv6-Adresse',
      'Standardgateway',
    ],
    [
      'French',
      'Configuration IP de Windows',
      'Nom de l’hôte',
      'Carte Ethernet',
      'Carte réseau sans fil',
      'Adresse physique',
      'Adresse IPv4',
      'Adresse IPv6 de liaison locale',
      'Passerelle par défaut',
    ],
    [
      'Spanish',
      'Configuración IP de Windows',
      'Nombre de host',
      'Adaptador de Ethernet',
      'Adaptador de LAN inalámbrica',
      'Dirección física',
      'Dirección IPv4',
      'Vínculo: dirección IPv6 local',
      'Puerta de enlace predeterminada',
    ],
    [
      'Portuguese',
      'Configuração de IP do Windows',
      'Nome do host',
      'Adaptador Ethernet',
      'Adaptador de Rede sem Fio',
      'Endereço Físico',
      'Endereço IPv4',
      'Endereço IPv6 de link local',
      'Gateway Padrão',
    ],
  ].map(([language, ...labels]): [string, string, string, Row[]] => [
    `ipconfig, ${language}`,
    'ipconfig /all',
    ipconfig(labels),
    [
      [A!, 'press-laptop', 'ethernet', 'fe80::1c2d:3e4f', '192.0.2.11'],
      [B!, 'press-laptop', 'wifi'],
    ],
  ]),
  [
    'getmac',
    'getmac /v',
    `
Connection Name Network Adapter Physical Address    Transport Name
=============== =============== =================== ==========================================================
Ethernet        Gigabit Connect 02-5E-10-00-00-01   \\Device\\Tcpip_{4F1A0B2C-0000-0000-0000-000000000001}
WLAN            Wireless-AX     02-5E-10-00-00-02   Media disconnected
Bluetooth-Netzw Bluetooth Devic N/A                 Hardware not present
`,
    [
      [A, null, 'ethernet'],
      [B, null, 'wifi'],
    ],
  ],
  [
    'ip addr',
    'ip link',
    `1: lo: <LOOPBACK,UP> mtu 65536 state UNKNOWN
    link/loopback 00:00:00:00:00:00 brd 00:00:00:00:00:00
    inet 127.0.0.1/8 scope host lo
2: enp3s0: <BROADCAST,MULTICAST,UP> mtu 1500 state UP
    link/ether ${A} brd ff:ff:ff:ff:ff:ff
    inet 192.0.2.11/24 brd 192.0.2.255 scope global enp3s0
    inet6 2001:db8::b/64 scope global
3: wlp2s0@if5: <BROADCAST,MULTICAST> mtu 1500 state DOWN
    link/ether ${B} brd ff:ff:ff:ff:ff:ff permaddr ${C}
`,
    [
      [A, null, 'ethernet', '192.0.2.11', '2001:db8::b'],
      [B, null, 'wifi'],
    ],
  ],
  [
    'ip -j addr',
    'ip -j addr',
    `[{"ifname":"lo","link_type":"loopback","address":"00:00:00:00:00:00"},{"ifname":"eth0","link_type":"ether","address":"${A}","addr_info":[{"family":"inet","local":"192.0.2.11","prefixlen":24}]},
{"ifname":"wlan0","link_type":"ether","address":"${B}","addr_info":[]}]`,
    [
      [A, null, 'ethernet', '192.0.2.11'],
      [B, null, 'wifi'],
    ],
  ],
  [
    'ip -j neigh',
    'ip -j neigh',
    `[{"dst":"192.0.2.11","dev":"br0","lladdr":"${A}","state":["REACHABLE"]},{"dst":"192.0.2.12","dev":"br0","state":["FAILED"]},{"dst":"2001:db8::b","dev":"br0","lladdr":"${A}","state":["STALE"]}]`,
    [[A, null, null, '192.0.2.11', '2001:db8::b']],
  ],
  [
    'arp -n of Linux',
    'arp -n',
    `Address                  HWtype  HWaddress           Flags Mask            Iface
192.0.2.11               ether   ${A}   C                     wan
press-laptop             ether   ${B}   C                     br0
192.0.2.13                       (incomplete)                              br0
`,
    [
      [A, null, null, '192.0.2.11'],
      [B, 'press-laptop', null],
    ],
  ],
  [
    'ifconfig of Linux',
    'ifconfig',
    `eth0: flags=4163<UP,BROADCAST,RUNNING>  mtu 1500
        inet 192.0.2.11  netmask 255.255.255.0  broadcast 192.0.2.255
        ether ${A}  txqueuelen 1000  (Ethernet)
lo: flags=73<UP,LOOPBACK,RUNNING>  mtu 65536
        inet 127.0.0.1  netmask 255.0.0.0
`,
    [[A, null, 'ethernet', '192.0.2.11']],
  ],
  [
    'ifconfig, older',
    'ifconfig',
    `wlan0     Link encap:Ethernet  HWaddr ${B}
          inet addr:192.0.2.12  Bcast:192.0.2.255  Mask:255.255.255.0
`,
    [[B, null, 'wifi', '192.0.2.12']],
  ],
  [
    'ifconfig of macOS',
    'ifconfig',
    `en0: flags=8863<UP,BROADCAST,SMART,RUNNING> mtu 1500
\tether ${A}
\tinet6 fe80::1%en0 prefixlen 64 secured scopeid 0xb
\tinet 192.0.2.11 netmask 0xffffff00 broadcast 192.0.2.255
`,
    [[A, null, 'ethernet', 'fe80::1', '192.0.2.11']],
  ],
  [
    'networksetup',
    'networksetup -listallhardwareports',
    `
Hardware Port: Wi-Fi
Device: en0
Ethernet Address: ${A}

Hardware Port: USB 10/100/1000 LAN
Device: en7
Ethernet Address: ${B}

Hardware Port: Thunderbolt Bridge
Device: bridge0
Ethernet Address: ${C}

VLAN Configurations
===================
`,
    [
      [A, null, 'wifi'],
      [B, null, 'ethernet'],
      [C, null, 'other'],
    ],
  ],
  [
    'arp -a of Windows',
    'arp -a (Windows)',
    `
Schnittstelle: 192.0.2.1 --- 0x5
  Internetadresse       Physische Adresse     Typ
  192.0.2.11            02-5e-10-00-00-01     dynamisch
  192.0.2.255           ff-ff-ff-ff-ff-ff     statisch
  224.0.0.22            01-00-5e-00-00-16     statisch
`,
    [[A, null, null, '192.0.2.11']],
  ],
  [
    'arp -a of macOS',
    'arp -a',
    `gateway.home.example (192.0.2.1) at 2:5e:10:0:0:1 on en0 ifscope [ethernet]
? (192.0.2.12) at (incomplete) on en0 ifscope [ethernet]
? (192.0.2.13) at ${C} on en0 ifscope [ethernet]
`,
    [
      [A, 'gateway.home.example', null, '192.0.2.1'],
      [C, null, null, '192.0.2.13'],
    ],
  ],
  [
    'arp -a of Linux',
    'arp -a',
    `till (192.0.2.11) at ${A} [ether] on eth0\n? (192.0.2.12) at <incomplete> on eth0\n`,
    [[A, 'till', null, '192.0.2.11']],
  ],
  [
    '/proc/net/arp',
    '/proc/net/arp',
    `IP address       HW type     Flags       HW address            Mask     Device
192.0.2.11       0x1         0x2         ${A}     *        br0
192.0.2.12       0x1         0x0         00:00:00:00:00:00     *        br0
`,
    [[A, null, null, '192.0.2.11']],
  ],
  [
    'ip neigh',
    'ip neigh',
    `192.0.2.11 dev br0 lladdr ${A} REACHABLE\n192.0.2.12 dev br0  FAILED\nfe80::1 dev br0 lladdr ${B} router STALE\n`,
    [
      [A, null, null, '192.0.2.11'],
      [B, null, null, 'fe80::1'],
    ],
  ],
  [
    'dnsmasq',
    'leases of dnsmasq',
    `1795428000 ${A} 192.0.2.11 till 01:02:5e:10:00:00:01\n0 ${B} 192.0.2.12 * *\nduid 00:01:00:01:2a:2b\n1795428000 123456 2001:db8::b till 00:01\n`,
    [
      [A, 'till', null, '192.0.2.11'],
      [B, null, null, '192.0.2.12'],
    ],
  ],
  [
    'ISC dhcpd',
    'leases of ISC dhcpd',
    `# The format of this file is documented in the dhcpd.leases(5) manual page.
lease 192.0.2.11 {
  starts 1 2026/11/23 08:00:00;
  hardware ethernet ${A};
  client-hostname "till";
}
lease 192.0.2.12 {
  binding state free;
}
lease 192.0.2.13 {
  hardware ethernet ${A};
}
`,
    [[A, 'till', null, '192.0.2.11', '192.0.2.13']],
  ],
  [
    'Kea',
    'leases of Kea',
    `address,hwaddr,client_id,valid_lifetime,expire,subnet_id,fqdn_fwd,fqdn_rev,hostname,state,user_context,pool_id
192.0.2.11,${A},01:02:5e:10:00:00:01,3600,1795428000,1,0,0,till,0,,0
192.0.2.12,${B},,3600,1795428000,1,0,0,,0,"{ ""a"": 1 }",0
`,
    [
      [A, 'till', null, '192.0.2.11'],
      [B, null, null, '192.0.2.12'],
    ],
  ],
  [
    'a plain list',
    'a list of addresses',
    `# from the stickers\n${A} Till\nKiosk, 02-5E-10-00-00-02\n025e.1000.0003\n`,
    [
      [A, 'Till', null],
      [B, 'Kiosk', null],
      [C, null, null],
    ],
  ],
]

test.each(FORMATS)('%s', (_, format, text, expected) => {
  const reading = readAddresses(text)
  expect([reading.format, reading.unread, rows(text)]).toEqual([format, [], expected])
  expect(rows(`\uFEFF${text.replace(/\r?\n/g, '\r\n')}`)).toEqual(expected)
})

test.each<[string, string, [number, string][], number]>([
  ['a word in a list', `${A} Till\nno address here\n${B}\n`, [[2, 'no MAC address']], 2],
  ['a lease cut off', `1795428000 ${A} 192.0.2.11 till *\n1795428000 ${B}\n`, [[2, 'five columns']], 1],
  [
    'a lease without an end',
    `lease 192.0.2.11 {\n  hardware ethernet ${A};\nlease 192.0.2.12 {\n  hardware ethernet ${B};\n}\n`,
    [[1, 'not closed']],
    1,
  ],
  [
    'an address with a slip',
    `IP address       HW type     Flags       HW address\n192.0.2.11 0x1 0x2 02:5e:10:00:00 * br0\n192.0.2.12 0x1 0x2 ${B} * br0\n`,
    [[2, '“02:5e:10:00:00” is not a MAC address']],
    1,
  ],
  [
    'a short row',
    `address,hwaddr,client_id,valid_lifetime,expire,subnet_id,hostname\n192.0.2.11,${A}\n192.0.2.12,${B},,1,2,1,till\n`,
    [[2, '2 columns, the heading 7']],
    1,
  ],
  ['JSON cut off', `[{"dst":"192.0.2.11","lladdr":"${A}"`, [[1, 'not whole JSON']], 0],
  ['nothing', '', [], 0],
])('%s: is told with its line, and the rest counts', (_, text, unread, count) => {
  const reading = readAddresses(text)
  expect(reading.unread.map(({ line, message }) => [line, message])).toEqual(
    unread.map(([line, words]) => [line, expect.stringContaining(words) as unknown]),
  )
  expect(found(text).length).toBe(count)
})

describe('fuzzed', () => {
  const texts = FORMATS.map(([, , text]) => text)

  test('no text crashes it, and every address that comes out is one', () => {
    const damaged = fc
      .tuple(fc.constantFrom(...texts), fc.nat(), fc.nat(60), fc.string())
      .map(
        ([text, at, length, piece]) =>
          text.slice(0, at % text.length) + piece + text.slice((at % text.length) + length),
      )
    fc.assert(
      fc.property(
        fc.oneof(
          damaged,
          fc.string(),
          fc
            .array(fc.constantFrom(...texts.flatMap((text) => text.split('\n'))))
            .map((lines) => lines.join('\n')),
        ),
        (text) => {
          const { unread } = readAddresses(text)
          const addresses = found(text)
          const lines = text.split('\n').length
          expect(new Set(addresses.map(({ mac }) => mac)).size).toBe(addresses.length)
          for (const { mac, line } of addresses)
            expect([/^[0-9a-f][02468ace](:[0-9a-f]{2}){5}$/.test(mac), line >= 1 && line <= lines]).toEqual([
              true,
              true,
            ])
          for (const { line, message } of unread)
            expect([line >= 1 && line <= lines, message.length > 0]).toEqual([true, true])
        },
      ),
      { numRuns: 1500 },
    )
  })

  test('progress goes up to the end', () => {
    const seen: number[] = []
    readAddresses(
      Array.from({ length: 50_000 }, (_, index) => `179542800${index % 10} ${A} 192.0.2.11 till *`).join(
        '\n',
      ),
      (done) => seen.push(done),
    )
    expect([seen.length, seen.every((done, index) => done > (seen[index - 1] ?? 0) && done <= 1)]).toEqual([
      5,
      true,
    ])
  })
})

describe('what a reading would do to a draft', () => {
  const draft = policyOf({
    kairostat: 1,
    place: { name: 'B', timeZone: 'UTC' },
    devices: [
      { id: 'till', name: 'Till', adapters: [{ mac: A, medium: 'wifi' }] },
      { id: 'kiosk', name: 'Kiosk', adapters: [{ mac: C, medium: 'wifi' }] },
    ],
  })
  const acts = (text: string) =>
    intakeOf(readAddresses(text), draft).map(({ act, device, fresh, devices }) => [
      act,
      device.name,
      fresh.map(({ mac }) => mac),
      devices.map(({ id }) => id),
    ])

  test.each<[string, string, unknown[]]>([
    [
      'a machine of which one card is known',
      `2: eth0: <UP>\n    link/ether ${A}\n3: wlan0: <UP>\n    link/ether ${B}\n`,
      [['extend', 'Till', [B], ['till']]],
    ],
    [
      'a machine whose cards belong to two devices',
      `2: eth0: <UP>\n    link/ether ${A}\n3: wlan0: <UP>\n    link/ether ${C}\n`,
      [['clash', 'Till', [], ['till', 'kiosk']]],
    ],
    [
      'a network: one known, two under one name',
      `1 ${A} 192.0.2.1 till *\n1 ${B} 192.0.2.2 press *\n1 02:5e:10:00:00:04 192.0.2.3 PRESS *\n1 02:5e:10:00:00:05 192.0.2.4 * *\n`,
      [
        ['known', 'Till', [], ['till']],
        ['add', 'press', [B, '02:5e:10:00:00:04'], []],
        ['add', '', ['02:5e:10:00:00:05'], []],
      ],
    ],
    ['nothing', '\n', []],
  ])('%s', (_, text, expected) => {
    expect(acts(text)).toEqual(expected)
  })
})
