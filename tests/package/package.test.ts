import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, test } from 'vitest'

/** The packages: the current version, and one after it. */
const [NOW, NEXT] = ['0.1.0', '0.1.1']
const PASSWORD = 'a long password'
const SIGN_IN = JSON.stringify({ name: 'ada', password: PASSWORD })

// A Debian system of its own: this one's files below, what is written above them in memory; and without a
// network.
const folder = mkdtempSync(join(tmpdir(), 'kairostat-package-'))
let system: ChildProcess
beforeAll(async () => {
  for (const version of [NOW, NEXT]) {
    const { status, stderr } = spawnSync(
      process.execPath,
      ['scripts/package.mjs', '--version', version, '--to', folder],
      { encoding: 'utf8' },
    )
    if (status !== 0) throw new Error(`The package was not made: ${stderr}`)
  }
  mkdirSync(join(folder, 'own'))
  writeFileSync(
    join(folder, 'system.sh'),
    [
      'set -e',
      `mount -t tmpfs none ${folder}/own`,
      `cd ${folder}/own && mkdir above work root`,
      'mount -t overlay overlay -o lowerdir=/,upperdir=above,workdir=work root',
      'mkdir -p root/packages && mount --bind .. root/packages',
      'mount -t proc none root/proc && mount --rbind /dev root/dev',
      'ip link set lo up && echo ready && exec sleep infinity',
    ].join('\n'),
  )
  system = spawn('unshare', ['--mount', '--net', 'bash', join(folder, 'system.sh')])
  await new Promise<void>((resolve, reject) => {
    let text = ''
    system.stderr!.on('data', (chunk) => (text += String(chunk)))
    system.stdout!.once('data', () => resolve())
    system.once('exit', () => reject(new Error(`The system could not be made: ${text}`)))
  })
}, 900_000)
afterAll(async () => {
  const ended = new Promise((resolve) => system.once('exit', resolve))
  system.kill('SIGKILL')
  await ended
  rmSync(folder, { recursive: true, force: true })
})

/** The folders of a shell of root; the packages of this project have programs of the same names. */
const ENVIRONMENT = { PATH: '/usr/sbin:/usr/bin:/sbin:/bin', HOME: '/root', LC_ALL: 'C' }
const INSIDE = () => ['-t', String(system.pid), '--mount', '--net', 'chroot', `${folder}/own/root`]
/** Runs a script in the system; answers what it printed, its errors among it. */
function within(script: string): string {
  const { status, stdout } = spawnSync('nsenter', [...INSIDE(), 'bash', '-c', `exec 2>&1; ${script}`], {
    encoding: 'utf8',
    env: ENVIRONMENT,
  })
  if (status !== 0) throw new Error(`${script} ended with ${status}: ${stdout}`)
  return stdout.trim()
}
const install = (version: string) => within(`dpkg -i /packages/kairostat_${version}_all.deb`)

/** The values that a unit gives to a key, word by word; what systemd would put in their places is there. */
function valuesOf(unit: string, key: string): string[] {
  const text = readFileSync(`packaging/${unit}.service`, 'utf8')
  return [...text.matchAll(new RegExp(`^${key}=(.*)$`, 'gm'))].flatMap((match) =>
    match[1]!.replace(/\$\{CREDENTIALS_DIRECTORY\}|%d/g, '/etc/kairostat').split(' '),
  )
}
/** Starts the application as its unit does; answers what it says of itself, and how it is ended. */
async function start(...more: string[]) {
  within('install -d -o kairostat -m 700 /var/lib/kairostat-app')
  return run(
    ['setpriv', '--reuid=kairostat', '--regid=kairostat', '--clear-groups', '--no-new-privs'],
    ['env', '-C', '/', ...valuesOf('kairostat', 'Environment'), 'LOG_LEVEL=warn', ...more],
    valuesOf('kairostat', 'ExecStart'),
  )
}
/** Starts the gateway as its unit does, as nobody in particular with one right. */
async function startGateway() {
  within('install -d -o nobody /run/kairostat /var/lib/kairostat')
  const own = readFileSync('packaging/kairostat-gateway.service', 'utf8')
  const [, options] = /^Environment="OPTIONS=(.*)"$/m.exec(own)!
  return run(
    ['setpriv', '--reuid=nobody', '--regid=nogroup', '--clear-groups', '--no-new-privs'],
    ['--inh-caps=-all,+net_admin', '--ambient-caps=-all,+net_admin', '--bounding-set=-all,+net_admin'],
    valuesOf('kairostat-gateway', 'ExecStart').flatMap((word) =>
      word === '$OPTIONS' ? options!.split(' ') : word,
    ),
  )
}
async function run(...words: string[][]) {
  const program = spawn('nsenter', [...INSIDE(), ...words.flat()], { env: ENVIRONMENT })
  let said = ''
  await new Promise<void>((resolve, reject) => {
    const heard = (chunk: Buffer) => {
      said += String(chunk)
      if (/^The linux gateway listens/m.test(said)) resolve()
      if (/^Listening on .*$/m.test(said) && (!said.includes('https:') || said.includes('fingerprint')))
        resolve()
    }
    program.stdout.on('data', heard)
    program.stderr.on('data', heard)
    program.once('exit', (code) => reject(new Error(`ended with ${code}: ${said}`)))
  })
  const stop = async () => {
    const ended = new Promise((resolve) => program.once('exit', resolve))
    program.kill('SIGTERM')
    await ended
  }
  return { said, stop }
}
/** Asks the application of the system for something. */
const ask = (path: string, more = '') =>
  within(`curl -sk -H 'origin: https://localhost:3000' ${more} https://localhost:3000${path}`)

test('installed, it runs as its own user, is set up, and is the same after an upgrade', async () => {
  install(NOW)
  expect(within('stat -c "%U %a" /etc/kairostat /etc/kairostat/token; wc -c < /etc/kairostat/token')).toBe(
    'root 700\nroot 600\n33',
  )
  expect(within('ls /etc/systemd/system/multi-user.target.wants | grep kairostat')).toBe('kairostat.service')
  expect(within('find /usr/lib/kairostat -not -user root -or -perm /022 -not -type l | head -3')).toBe('')
  // The clock of tests cannot be set there.
  expect(within('grep -c KAIROSTAT_CLOCK_FILE /usr/lib/kairostat/dist/gateway.mjs || true')).toBe('0')
  const token = within('cat /etc/kairostat/token')
  // The unit has the secret from systemd; here it is read by whoever runs.
  within('chmod 755 /etc/kairostat && chown kairostat /etc/kairostat/token')
  const first = await start()
  const [, code] = /Set-up code: (\S+)/.exec(first.said)!
  const account = JSON.stringify({
    code,
    name: 'ada',
    password: PASSWORD,
    place: { name: 'Bindery', timeZone: 'Europe/Lisbon' },
  })
  expect(ask('/api/setup', `-d '${account}' -H 'content-type: application/json' -w '%{http_code}'`)).toMatch(
    /20\d$/,
  )
  await first.stop()

  within(`echo '#PORT' >> /etc/kairostat/kairostat.conf`)
  install(NEXT)
  expect(within('kairostat --help | head -1; dpkg-query -W -f "\\${Version}" kairostat')).toMatch(
    new RegExp(`^kairostat: .*\\n${NEXT}$`),
  )
  expect(within('cat /etc/kairostat/token; tail -1 /etc/kairostat/kairostat.conf')).toBe(`${token}\n#PORT`)
  within('chmod 755 /etc/kairostat')
  const second = await start()
  expect(second.said).not.toContain('Set-up code')
  expect(ask('/api/session', `-d '${SIGN_IN}' -H 'content-type: application/json'`)).toContain('ada')
  await second.stop()
}, 120_000)

test('gateway and application on one computer find each other, as the guide says', async () => {
  within('ip link add br0 type bridge && ip addr add 192.168.77.1/24 dev br0 && ip link set br0 up')
  // Each reads the secret that systemd would hand to both.
  within('chmod 644 /etc/kairostat/token')
  const gateway = await startGateway()
  const application = await start('KAIROSTAT_GATEWAY=unix:/run/kairostat/gateway.sock')
  const cookie = within(
    `curl -sk -o /dev/null -c - -H 'origin: https://localhost:3000' -d '${SIGN_IN}' -H 'content-type: application/json' https://localhost:3000/api/session`,
  )
    .split(/\s/)
    .at(-1)
  expect(JSON.parse(ask('/api/gateway', `-b kairostat=${cookie}`))).toMatchObject({
    trouble: null,
    status: { plane: 'linux', interfaces: [{ name: 'br0' }] },
  })
  await application.stop()
  await gateway.stop()
}, 60_000)

test('its commands are there for what is done to the data, and for the gateway', async () => {
  const data = '--data /var/lib/kairostat-app'
  expect(within(`cd / && kairostat backup /tmp/all.gz ${data} && kairostat reset-password ${data}`)).toMatch(
    /password/i,
  )
  expect(within('kairostat gateway --help | head -1')).toMatch(/^kairostat gateway/)
})

test.each(['kairostat.service', 'kairostat-gateway.service'])('systemd takes %s', (unit) => {
  expect(within(`systemd-analyze verify /lib/systemd/system/${unit}`)).toBe('')
})

test('removed, nobody stays blocked and the data stay; purged, nothing is left', () => {
  within('nft add table inet kairostat')
  within('dpkg -r kairostat')
  expect(within('nft list tables; ls -d /usr/lib/kairostat /usr/bin/kairostat 2>/dev/null | cat')).toBe('')
  expect(within('ls /var/lib/kairostat-app/sql/PG_VERSION /etc/kairostat/token | wc -l')).toBe('2')
  within('dpkg -P kairostat')
  expect(
    within(
      'ls -d /var/lib/kairostat* /etc/kairostat /etc/systemd/system/*/kairostat* 2>/dev/null; id -u kairostat 2>/dev/null; true',
    ),
  ).toBe('')
})

test('the archive runs with Node alone, from a folder like any other', async () => {
  within(`mkdir /opt/own && tar -xzf /packages/kairostat_${NOW}.tar.gz -C /opt/own --no-same-owner`)
  const at = `/opt/own/kairostat-${NOW}`
  const program = await run([
    'env',
    '-C',
    '/opt/own',
    '-i',
    'PORT=3001',
    process.execPath,
    `${at}/bin/kairostat`,
    'start',
  ])
  expect(within('curl -s http://127.0.0.1:3001/api/health')).toBe('{"ok":true}')
  expect(within('curl -s http://127.0.0.1:3001/sign-in')).toContain('<title>Kairostat</title>')
  await program.stop()
  expect(within('ls -A /opt/own/.data')).toBe('place')
}, 60_000)
