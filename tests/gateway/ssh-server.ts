import { spawnSync, type ChildProcess } from 'node:child_process'
import { chownSync, mkdirSync, writeFileSync } from 'node:fs'
import { once } from 'node:events'
import { join } from 'node:path'
import { boundKeyLine } from '../../gateway/router/forced-command.ts'
import { newKeys, VIA_FILES } from '../../gateway/planes/linux/ssh/via.ts'
import { makeSmallRouter, onSmallRouter, ROUTER_LEASES } from './small-router.ts'

/** The SSH servers that are tried. */
export type SshServer = 'openssh' | 'dropbear'

/** The password of the router's root. */
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
  /** The commands that ran so far; OpenSSH alone tells. */
  commands(): number
  /** The folder of the router's file system, which outlasts it. */
  readonly root: string
  /** Does on the router what it does when it starts, its SSH server still away. */
  boot(): Promise<void>
}

/**
 * Starts an SSH server on a router that has little else, which lets in the key that it puts into the folder of
 * the gateway's state.
 *
 * @param isBound - whether that key may run nothing but what is sent to a router
 */
export async function startSsh(
  kind: SshServer,
  isBound: boolean,
  folder: string,
  onRouter: (command: string, args: readonly string[]) => ChildProcess,
): Promise<RunningSsh> {
  const { private: own, public: allowed } = newKeys()
  const key = join(folder, VIA_FILES.key)
  writeFileSync(key, own, { mode: 0o600 })
  chownSync(key, NOBODY, NOBODY)
  const root = join(folder, 'router')
  mkdirSync(root, { mode: 0o700 })
  makeSmallRouter(root, kind, ROUTER_PASSWORD)
  const line = isBound ? boundKeyLine(allowed, [ROUTER_LEASES]) : allowed
  writeFileSync(join(root, 'root/.ssh/authorized_keys'), `${line}\n`, { mode: 0o600 })
  const hostKey = '/etc/host-key'
  if (kind === 'openssh') writeFileSync(join(root, hostKey), newKeys().private, { mode: 0o600 })
  else spawnSync('dropbearkey', ['-t', 'ed25519', '-f', join(root, hostKey)])
  const options = [
    `Port ${SSH_PORT}`,
    `HostKey ${hostKey}`,
    'StrictModes no',
    'UsePAM no',
    'PermitRootLogin yes',
    // It tells of every command.
    'LogLevel VERBOSE',
  ]
  const program = {
    openssh: `/usr/sbin/sshd -D -e -f /dev/null ${options.map((option) => `-o '${option}'`).join(' ')}`,
    dropbear: `/usr/sbin/dropbear -F -E -p ${SSH_PORT} -r ${hostKey} -P /run/pid`,
  }[kind]
  let server: ChildProcess
  let commands = 0
  const start = async () => {
    server = onRouter('sh', ['-c', onSmallRouter(root, `exec ${program}`)])
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
    root,
    boot: async () => {
      const starts = 'for script in /etc/init.d/S??*; do "$script" start; done'
      const started = onRouter('unshare', ['--mount', 'sh', '-c', onSmallRouter(root, starts)])
      const [code] = (await once(started, 'exit')) as [number]
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
