// The directions of imports. A room may import the rooms that are listed for it; nothing runs in a circle.
// ARCHITECTURE.md says what is in each room.

/** The houses, and what each may import of the others. */
const HOUSES = {
  core: [],
  node: [],
  protocol: ['core'],
  cli: ['core', 'protocol', 'node'],
  gateway: ['core', 'protocol', 'node'],
  server: ['core', 'protocol', 'node'],
  app: ['core', 'protocol'],
}

/** The rooms of the gateway, from the lowest to the highest: each may import those before it. */
const GATEWAY = ['state', 'dns', 'usage', 'pages', 'planes', 'program', 'transport', 'simulation', 'router']

/** The rooms of the server, and what each may import of the others. Each also may import `database`. */
const SERVER = {
  database: [],
  outbox: [],
  accounts: ['outbox'],
  draft: ['accounts'],
  gateways: ['accounts'],
  live: ['accounts', 'outbox', 'draft', 'gateways'],
  lists: ['accounts', 'outbox', 'draft', 'live'],
  activity: ['accounts', 'live'],
  notices: ['accounts', 'outbox', 'live', 'gateways'],
  demo: ['accounts', 'draft', 'live'],
  places: ['accounts', 'outbox', 'draft', 'gateways', 'live', 'lists', 'activity', 'notices', 'demo'],
  operations: ['accounts', 'outbox', 'places'],
}
/** The server's doors: these may import every room. */
const DOORS = 'http|api|middleware|plugins|routes'
/** The rooms of the server that put a gateway together; the others ask it by `protocol/gateway/gateway.ts`. */
const KNOW_GATEWAY = ['gateways', 'places', 'demo']

const forbid = (name, from, to, comment) => ({ name, severity: 'error', comment, from, to })
const folders = (names) => `^(${names.join('|')})/`
const others = (all, allowed, self) => all.filter((one) => one !== self && !allowed.includes(one))

const houseRules = Object.entries(HOUSES).map(([house, allowed]) =>
  forbid(
    `${house}-imports-only-${allowed.join('-') || 'itself'}`,
    {
      path: `^${house}/`,
      ...(house === 'server' && { pathNot: folders(KNOW_GATEWAY.map((one) => `server/${one}`)) }),
    },
    { path: folders([...others(Object.keys(HOUSES), allowed, house), 'scripts', 'tests']) },
    'A house knows the houses below it alone; app asks server over HTTP.',
  ),
)
const gatewayRules = GATEWAY.map((room, index) =>
  forbid(
    `gateway-${room}`,
    { path: `^gateway/${room}/` },
    { path: `^gateway/((${GATEWAY.slice(index + 1).join('|') || '-'})/|main|entry)` },
    'In the gateway a room knows the rooms below it.',
  ),
)
const serverRules = Object.entries(SERVER).map(([room, allowed]) =>
  forbid(
    `server-${room}`,
    { path: `^server/${room}/` },
    {
      path: folders([
        ...others(Object.keys(SERVER), ['database', ...allowed], room).map((one) => `server/${one}`),
        `server/(${DOORS})`,
      ]),
    },
    'In the server a feature knows the features below it.',
  ),
)

export default {
  forbidden: [
    forbid('no-circle', {}, { circular: true }, 'What imports each other is one thing, or needs a third.'),
    forbid(
      'no-sql-in-a-door',
      { path: `^server/(${DOORS})/`, pathNot: '^server/http/' },
      { path: '-sql\\.ts$' },
      'A handler asks a service, which asks the database.',
    ),
    forbid(
      'sql-of-a-feature',
      { path: '^server/database/' },
      { path: '-sql\\.ts$', pathNot: '^server/database/' },
      'The database knows no feature.',
    ),
    forbid(
      'core-without-node',
      { path: '^core/' },
      { dependencyTypes: ['core'] },
      'core/ runs in the browser, in a worker and on the server.',
    ),
    forbid(
      'protocol-without-node',
      { path: '^protocol/' },
      { dependencyTypes: ['core'] },
      'protocol/ runs in the browser too.',
    ),
    forbid(
      'components-of-one-feature',
      // The shell frames every page: it is given the features' components.
      { path: '^app/components/([^/]+)/', pathNot: '^app/components/shell/' },
      { path: '^app/components/', pathNot: ['^app/components/$1/', '^app/components/common/'] },
      'What two features need moves to app/components/common.',
    ),
    forbid(
      'app-from-below',
      { path: '^app/(stores|text|workers|model|composables)/' },
      { path: '^app/(components|pages)/' },
      'Stores, texts and arithmetic know no component.',
    ),
    ...houseRules,
    ...gatewayRules,
    ...serverRules,
  ],
  options: {
    exclude: { path: '\\.test\\.ts$|^\\.nuxt|^node_modules|^dist' },
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    enhancedResolveOptions: { extensions: ['.ts', '.vue', '.mjs', '.js', '.json'] },
    tsConfig: { fileName: 'tsconfig.imports.json' },
  },
}
