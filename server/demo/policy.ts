import type { DeviceKind, Medium } from '../../core/policy/types.ts'

const NOBODY = {
  everyone: false,
  newcomers: false,
  devices: [] as string[],
  groups: [] as string[],
  networks: [] as string[],
  except: { devices: [] as string[], groups: [] as string[], networks: [] as string[] },
}

const device = (id: string, name: string, kind: DeviceKind, ...adapters: [number, Medium][]) => ({
  id,
  name,
  kind,
  adapters: adapters.map(([last, medium]) => ({
    mac: `02:5e:10:00:00:${last.toString(16).padStart(2, '0')}`,
    medium,
  })),
})
const groups = (...ids: string[]) => ({ ...NOBODY, groups: ids })
const devices = (...ids: string[]) => ({ ...NOBODY, devices: ids })
const during = (...ids: string[]) => ({ schedules: ids })
const ALWAYS = { always: true }
const INTERNET = { internet: true }

/**
 * The demo's policy document: a bookbinding workshop with a flat above it, all made up. The one-off rule lies
 * on the given date.
 */
export function demoDocument(stocktaking: string) {
  return {
    kairostat: 1,
    place: { name: 'Saltmarsh Bindery', timeZone: 'Europe/Lisbon' },
    devices: [
      device('press-laptop', 'Press room laptop', 'laptop', [0x02, 'wifi'], [0x03, 'ethernet']),
      device('ines-phone', 'Ines’s phone', 'phone', [0x04, 'wifi']),
      device('bench-tablet', 'Bench tablet', 'tablet', [0x07, 'wifi']),
      device('frame-reader', 'Sewing frame reader', 'reader', [0x08, 'wifi']),
      device('tomas-phone', 'Tomas’s phone', 'phone', [0x12, 'wifi']),
      device('front-tablet', 'Front desk tablet', 'tablet', [0x01, 'wifi']),
      device('catalogue-kiosk', 'Catalogue kiosk', 'terminal', [0x09, 'wifi']),
      {
        ...device('card-terminal', 'Card terminal', 'terminal', [0x05, 'ethernet']),
        shielded: true,
        note: 'Payments must never stop.',
      },
      device('office-desktop', 'Office desktop', 'desktop', [0x0c, 'ethernet']),
      device('ledger-laptop', 'Ledger laptop', 'laptop', [0x0d, 'wifi'], [0x0e, 'ethernet']),
      device('label-printer', 'Label printer', 'printer', [0x0f, 'ethernet']),
      device('shelf-store', 'Shelf store', 'storage', [0x10, 'ethernet']),
      device('door-camera', 'Door camera', 'camera', [0x11, 'wifi']),
      device('marta-phone', 'Marta’s phone', 'phone', [0x14, 'wifi']),
      device('guillotine', 'Guillotine controller', 'machine', [0x06, 'ethernet']),
      device('glue-pot', 'Glue pot thermostat', 'machine', [0x0a, 'wifi']),
      device('nipping-press', 'Nipping press', 'machine', [0x0b, 'ethernet']),
      device('heat-meter', 'Heat meter', 'machine', [0x1e, 'ethernet']),
      device('hall-radio', 'Hall radio', 'speaker', [0x15, 'wifi']),
      device('big-screen', 'Big screen', 'screen', [0x16, 'ethernet']),
      device('tide-clock', 'Tide clock', 'other', [0x17, 'wifi']),
      device('kitchen-speaker', 'Kitchen speaker', 'speaker', [0x18, 'wifi']),
      device('attic-console', 'Attic console', 'console', [0x19, 'ethernet']),
      device('lena-tablet', 'Lena’s tablet', 'tablet', [0x1b, 'wifi']),
      device('lena-phone', 'Lena’s phone', 'phone', [0x1c, 'wifi']),
      device('lena-reader', 'Lena’s reader', 'reader', [0x1a, 'wifi']),
      device('tomas-tablet', 'Tomas’s tablet', 'tablet', [0x13, 'wifi']),
      device('old-laptop', 'Old laptop', 'laptop', [0x1d, 'ethernet']),
    ],
    networks: [{ id: 'guest', name: 'Guest Wi-Fi', interfaces: ['br-guest'], subnets: [], note: '' }],
    groups: [
      {
        id: 'apprentices',
        name: 'Apprentices',
        members: ['press-laptop', 'ines-phone', 'bench-tablet', 'frame-reader', 'tomas-phone'],
      },
      { id: 'front', name: 'Front of house', members: ['front-tablet', 'catalogue-kiosk', 'card-terminal'] },
      {
        id: 'office',
        name: 'Office',
        members: [
          'office-desktop',
          'ledger-laptop',
          'label-printer',
          'shelf-store',
          'door-camera',
          'marta-phone',
        ],
      },
      {
        id: 'machines',
        name: 'Machines',
        members: ['guillotine', 'glue-pot', 'nipping-press', 'heat-meter'],
      },
      {
        id: 'flat',
        name: 'Flat upstairs',
        members: [
          'hall-radio',
          'big-screen',
          'tide-clock',
          'kitchen-speaker',
          'attic-console',
          'lena-tablet',
          'lena-phone',
          'lena-reader',
          'tomas-tablet',
        ],
      },
    ],
    schedules: [
      {
        id: 'bench-hours',
        name: 'Bench hours',
        week: 'Tu-Sa 09:00-12:30,14:00-18:00',
        exceptions: [
          { from: '2026-12-08', until: '2026-12-08', hours: 'off' },
          { from: '2026-12-24', until: '2027-01-02', hours: 'off' },
        ],
      },
      {
        id: 'opening-hours',
        name: 'Opening hours',
        week: 'Mo-Fr 08:30-18:30; Sa 10:00-14:00',
        exceptions: [{ from: '2026-12-19', until: '2026-12-19', hours: '10:00-19:00' }],
      },
      { id: 'night', name: 'Night', week: 'Su-Th 22:00-07:00; Fr,Sa 23:30-08:30' },
      {
        id: 'school-nights',
        name: 'School nights',
        week: 'Su-Th 20:30-07:00; Fr,Sa 22:00-08:30',
        exceptions: [{ from: '2026-12-18', until: '2027-01-03', hours: '22:30-08:30' }],
      },
      { id: 'play-hours', name: 'Play hours', week: 'Mo-Fr 16:00-18:30; Sa,Su 10:00-19:00' },
      { id: 'upkeep-hours', name: 'Monday upkeep', week: 'Mo 07:30-08:15' },
    ],
    siteLists: [
      { id: 'reference', name: 'Reference', entries: ['paperwiki.example', 'suppliers.example'] },
      {
        id: 'encrypted-resolvers',
        name: 'Encrypted resolvers',
        entries: ['resolver.arpa', 'veiled-names.example', 'hush-resolver.example'],
        note: 'Who looks names up there goes around every rule for names.',
      },
      { id: 'catalogue', name: 'Our own pages', entries: ['saltmarsh.example', '203.0.113.64/28'] },
    ],
    apps: [
      {
        id: 'reelbrook',
        name: 'Reelbrook',
        category: 'video',
        sites: ['reelbrook.example', 'rb-media.example'],
        services: ['udp/3478-3481'],
      },
      { id: 'clipriver', name: 'Clipriver', category: 'video', sites: ['clipriver.example'] },
      {
        id: 'anvilquest',
        name: 'Anvilquest',
        category: 'games',
        sites: ['anvilquest.example'],
        services: ['tcp/5222,5223'],
      },
      { id: 'tilefall', name: 'Tilefall', category: 'games', sites: ['tilefall.example'] },
      { id: 'chatterling', name: 'Chatterling', category: 'chat', sites: ['chatterling.example'] },
      { id: 'tunecask', name: 'Tunecask', category: 'music', sites: ['tunecask.example'] },
    ],
    rules: [
      {
        id: 'machines-inside',
        name: 'Machines stay inside',
        effect: 'block',
        who: groups('machines'),
        what: INTERNET,
        when: ALWAYS,
      },
      {
        id: 'kiosk-pages',
        name: 'Kiosk shows our pages',
        effect: 'allow',
        who: devices('catalogue-kiosk'),
        what: { siteLists: ['catalogue'] },
        when: ALWAYS,
      },
      {
        id: 'kiosk-only',
        name: 'Kiosk shows nothing else',
        effect: 'block',
        who: devices('catalogue-kiosk'),
        what: INTERNET,
        when: ALWAYS,
      },
      {
        id: 'reference-open',
        name: 'Reference stays open',
        effect: 'allow',
        who: groups('apprentices'),
        what: { siteLists: ['reference'] },
        when: during('bench-hours'),
      },
      {
        id: 'quiet-bench',
        name: 'Quiet bench',
        effect: 'block',
        who: groups('apprentices'),
        what: INTERNET,
        when: during('bench-hours'),
      },
      {
        id: 'no-play-at-work',
        name: 'No video or games at work',
        effect: 'block',
        who: groups('apprentices', 'front'),
        what: { categories: ['video', 'games'], keywords: ['stream'] },
        when: during('opening-hours'),
      },
      {
        id: 'radio',
        name: 'Radio without live streams',
        effect: 'block',
        who: devices('hall-radio'),
        what: { keywords: ['stream'] },
        when: ALWAYS,
      },
      {
        id: 'play-hours-only',
        name: 'Games in play hours',
        effect: 'block',
        who: devices('lena-tablet', 'lena-phone', 'attic-console'),
        what: { categories: ['games', 'chat'] },
        when: { schedules: ['play-hours'], outside: true },
      },
      {
        id: 'lena-sleeps',
        name: 'Lena sleeps',
        effect: 'block',
        who: devices('lena-tablet', 'lena-phone', 'lena-reader', 'attic-console'),
        what: INTERNET,
        when: during('school-nights'),
      },
      {
        id: 'workshop-night',
        name: 'Workshop at night',
        effect: 'block',
        who: {
          ...groups('apprentices', 'front', 'office'),
          except: { devices: ['shelf-store', 'door-camera', 'marta-phone'], groups: [], networks: [] },
        },
        what: INTERNET,
        when: during('night'),
      },
      {
        id: 'no-old-transfer',
        name: 'No old file transfer',
        effect: 'block',
        who: {
          ...groups('office'),
          newcomers: true,
          except: { devices: ['shelf-store'], groups: [], networks: [] },
        },
        what: { services: ['tcp/20,21'] },
        when: during('opening-hours'),
      },
      {
        id: 'stocktaking',
        name: 'Stocktaking',
        effect: 'block',
        who: devices('front-tablet'),
        what: INTERNET,
        when: { from: `${stocktaking}T14:00`, until: `${stocktaking}T18:00` },
      },
      {
        id: 'veiled-look-ups',
        name: 'Look-ups past the gateway',
        logOnly: true,
        effect: 'block',
        who: { everyone: true },
        what: { siteLists: ['encrypted-resolvers'] },
        when: ALWAYS,
      },
      {
        id: 'upkeep',
        name: 'Printer updates on Monday',
        enabled: false,
        effect: 'block',
        who: devices('label-printer'),
        what: INTERNET,
        when: { schedules: ['upkeep-hours'], outside: true },
      },
      {
        id: 'guests-by-day',
        name: 'Guest Wi-Fi by day',
        effect: 'block',
        who: { ...NOBODY, networks: ['guest'] },
        what: INTERNET,
        when: { schedules: ['opening-hours'], outside: true },
      },
    ],
  }
}
