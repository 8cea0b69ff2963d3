import { spawnSync } from 'node:child_process'
import { copyFileSync, existsSync, mkdirSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import type { SshServer } from './ssh-server.ts'

/** The lease file of the router, and the address of the first machine in it. */
export const ROUTER_LEASES = '/tmp/dhcp.leases'

/**
 * Makes the file system of a small router: the shell and the programs of busybox, nft, ip and an SSH server,
 * each with the libraries that it needs, and nothing else.
 *
 * @param password - of its root
 */
export function makeSmallRouter(root: string, server: SshServer, password: string): void {
  for (const folder of ['bin', 'dev', 'proc', 'run/sshd', 'root/.ssh', 'tmp', 'etc/init.d', 'etc/dropbear'])
    if (folder !== 'etc/dropbear' || server === 'dropbear') mkdirSync(join(root, folder), { recursive: true })
  ran('chmod', ['700', join(root, 'root'), join(root, 'root/.ssh')])
  for (const program of ['busybox', 'nft', 'ip', server === 'openssh' ? 'sshd' : 'dropbear']) {
    const file = found(program)
    copy(file, join(root, 'usr/sbin', program))
    for (const [library] of ran('ldd', [file]).matchAll(/\/\S+/g)) copy(library, join(root, library))
  }
  ran('chroot', [root, '/usr/sbin/busybox', '--install', '-s', '/bin'])
  const hash = ran('openssl', ['passwd', '-6', password]).trim()
  for (const [name, text] of [
    ['passwd', 'root:x:0:0:root:/root:/bin/sh\nsshd:x:100:65534::/run/sshd:/bin/false\n'],
    ['shadow', `root:${hash}:20000:0:99999:7:::\nsshd:!:20000::::::\n`],
    ['group', 'root:x:0:\nnogroup:x:65534:\n'],
    ['shells', '/bin/sh\n'],
  ])
    writeFileSync(join(root, 'etc', name!), text!, { mode: name === 'shadow' ? 0o600 : 0o644 })
}

/** The line that runs a line of shell on it. */
export const onSmallRouter = (root: string, line: string) =>
  [
    `mount -t proc none ${root}/proc`,
    `mount --bind /dev ${root}/dev`,
    `HOME=/root exec chroot ${root} /bin/sh -c '${line.replaceAll("'", "'\\''")}'`,
  ].join(' && ')

function found(program: string): string {
  const file = ['/usr/sbin', '/usr/bin', '/sbin', '/bin']
    .map((folder) => join(folder, program))
    .find(existsSync)
  if (!file) throw new Error(`${program} is missing.`)
  return file
}

function copy(from: string, to: string): void {
  mkdirSync(dirname(to), { recursive: true })
  copyFileSync(from, to)
}

function ran(command: string, args: readonly string[]): string {
  const { status, error, stdout, stderr } = spawnSync(command, args, { encoding: 'utf8' })
  if (status !== 0) throw new Error(`${command} ${args.join(' ')}: ${error?.message ?? stderr}`)
  return stdout
}
