import { spawnSync, type ChildProcess } from 'node:child_process'
import { chmodSync, chownSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { once } from 'node:events'
import { join } from 'node:path'
import { newKeys, VIA_FILES } from '../../gateway/linux/via.ts'

/** The SSH servers that are tried. */
export type SshServer = 'openssh' | 'dropbear'

/** The password of the router's root, for OpenSSH. */
export const ROUTER_PASSWORD = 'router-password-1'
/** The port of the router's SSH server. */
export const SSH_PORT = 22
/** The user of the gateway's program: nobody's. */
const NOBODY = 65534

/** An SSH server that runs on the router of a test. */
export interface RunningSsh {
  /** Ends it with all its connections, as where the router is switched off. */
  stop(): Promise<void>
  start(): Promise<void>
  /** How many commands were run so far; OpenSSH alone tells. */
  commands(): number
  /** The folder of the router's settings, which outlasts it. */
  readonly etc: string
  /** Does on the router what it does when it starts, its SSH server still away. */
  boot(): Promise<void>
}

/**
 * Starts an SSH server on the router of a test, which lets in the key that it puts into the folder of the
 * gateway's state.
 */
export async function startSsh(
  kind: SshServer,
  folder: string,
  onRouter: (command: string, args: readonly string[]) => ChildProcess,
): Promise<RunningSsh> {
  const { private: own, public: allowed } = newKeys()
  const key = join(folder, VIA_FILES.key)
  writeFileSync(key, own, { mode: 0o600 })
  chownSync(key, NOBODY, NOBODY)
  const home = join(folder, 'router')
  mkdirSync(home, { mode: 0o700 })
  writeFileSync(join(home, 'authorized_keys'), `${allowed}\n`, { mode: 0o600 })
  const hostKey = join(home, 'host-key')
  if (kind === 'openssh') {
    writeFileSync(hostKey, newKeys().private, { mode: 0o600 })
    // Where it gives up its rights.
    mkdirSync('/run/sshd', { recursive: true, mode: 0o755 })
    chmodSync('/run/sshd', 0o755)
  } else spawnSync('dropbearkey', ['-t', 'ed25519', '-f', hostKey])
  const keys = join(home, 'authorized_keys')
  const options = [
    `Port ${SSH_PORT}`,
    `HostKey ${hostKey}`,
    'StrictModes no',
    'UsePAM no',
    'PermitRootLogin yes',
    // It tells of every command.
    'LogLevel VERBOSE',
  ]
  const line = {
    openssh: `/usr/sbin/sshd -D -e -f /dev/null ${options.map((option) => `-o '${option}'`).join(' ')}`,
    dropbear: `dropbear -F -E -s -p ${SSH_PORT} -r ${hostKey} -P ${join(home, 'pid')}`,
  }[kind]
  // A home and settings of its own, as the router's would be: what this machine has there is none of its business.
  const etc = join(home, 'etc')
  spawnSync('cp', ['-a', '/etc', etc])
  const hash = spawnSync('openssl', ['passwd', '-6', ROUTER_PASSWORD], { encoding: 'utf8' }).stdout.trim()
  const shadow = readFileSync(join(etc, 'shadow'), 'utf8')
  writeFileSync(
    join(etc, 'shadow'),
    shadow.replace(/^root:[^:]*/m, () => `root:${hash}`),
  )
  const settings = [
    `mount --bind ${etc} /etc`,
    'if [ -d /run/systemd ]; then mount -t tmpfs none /run/systemd; fi',
  ]
  const script = [
    ...settings,
    'mount -t tmpfs -o mode=700 none /root && mkdir -m 700 /root/.ssh',
    `cp ${keys} /root/.ssh/ && exec ${line}`,
  ].join(' && ')
  let server: ChildProcess
  let commands = 0
  const start = async () => {
    server = onRouter('sh', ['-c', script])
    await new Promise<void>((resolve, reject) => {
      let text = ''
      server.stderr!.on('data', (chunk) => {
        text += String(chunk)
        commands += String(chunk).split('Starting session: ').length - 1
        if (/listening on|Not backgrounding/.test(text)) resolve()
      })
      server.once('exit', (code) => reject(new Error(`${kind} ended with ${code}: ${text}`)))
    })
  }
  await start()
  return {
    start,
    commands: () => commands,
    etc,
    boot: async () => {
      const starts = 'for script in /etc/init.d/S??*; do "$script" start; done'
      const program = onRouter('unshare', ['--mount', 'sh', '-c', [...settings, starts].join(' && ')])
      const [code] = (await once(program, 'exit')) as [number]
      if (code !== 0) throw new Error('The router did not start.')
    },
    stop: async () => {
      const ended = new Promise((resolve) => server.once('exit', resolve))
      // Its connections are processes of their own, in the group of none.
      spawnSync('pkill', ['-KILL', '-P', String(server.pid)])
      server.kill('SIGKILL')
      await ended
    },
  }
}
