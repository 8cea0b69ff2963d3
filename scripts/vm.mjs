import { spawnSync } from 'node:child_process'
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs'
import { dirname, join } from 'node:path'
import { give, root } from './prepare.mjs'

/** The folder of the unpacked kernel, with the programs that start it. */
const FOLDER = `${root}dist/vm`
/** The modules that it needs before it has a file system. */
const FIRST = ['9pnet_virtio', '9p', 'virtio_pci', 'overlay']
const REMEDY =
  'The tests in a virtual machine need Debian on an x86-64 computer; npm test -- --without-network leaves them out.'

/** The programs that make a virtual machine, and those that run in it, each with its package. */
export const VM_PROGRAMS = [
  ['qemu-system-x86_64', 'qemu-system-x86'],
  ['modprobe', 'kmod'],
  ['pppd', 'ppp'],
  ['pppoe-server', 'pppoe'],
]

/**
 * Sees to it that a virtual machine with Debian's kernel can be started here: kernels of containers lack flow
 * tables, VLANs and PPP. Ends the script with the remedy where it cannot.
 */
export function prepareVm() {
  if (process.arch !== 'x64') give(REMEDY)
  if (!existsSync(`${FOLDER}/kernel`)) unpackKernel()
  const start = `${FOLDER}/start.gz`
  const own = statSync(new URL(import.meta.url)).mtimeMs
  if (!existsSync(start) || statSync(start).mtimeMs < own) makeStart()
}

function unpackKernel() {
  console.log('Unpacking Debian’s kernel…')
  rmSync(FOLDER, { recursive: true, force: true })
  mkdirSync(FOLDER, { recursive: true })
  const wanted = /Depends: (linux-image-\S+)/.exec(ran('apt-cache', ['depends', 'linux-image-amd64']))
  if (!wanted) give(REMEDY)
  ran('apt-get', ['download', '-qq', wanted[1]])
  const archive = readdirSync(FOLDER).find((name) => name.endsWith('.deb'))
  ran('dpkg', ['-x', archive, '.'])
  rmSync(join(FOLDER, archive))
  const [version] = readdirSync(`${FOLDER}/lib/modules`)
  ran('depmod', ['-b', '.', version])
  copyFileSync(`${FOLDER}/boot/vmlinuz-${version}`, `${FOLDER}/kernel`)
}

/** The file system with which the kernel begins: busybox, and the modules that lead to this one. */
function makeStart() {
  const [version] = readdirSync(`${FOLDER}/lib/modules`)
  const start = `${FOLDER}/start`
  rmSync(start, { recursive: true, force: true })
  mkdirSync(start)
  const lines = FIRST.flatMap((name) =>
    ran('modprobe', ['-d', FOLDER, '-S', version, '--show-depends', name]).match(/\/\S+\.ko\S*/g),
  )
  const modules = [...new Set(lines)].map((file) => {
    const inside = file.slice(FOLDER.length)
    copy(file, start + inside)
    return `insmod ${inside}`
  })
  const busybox = ran('sh', ['-c', 'command -v busybox']).trim()
  copy(busybox, `${start}/bin/busybox`)
  for (const [library] of ran('ldd', [busybox]).matchAll(/\/\S+/g)) copy(library, start + library)
  writeFileSync(
    `${start}/init`,
    `#!/bin/busybox sh
/bin/busybox --install -s /bin
mkdir -p /proc /sys /dev /host /over /new
mount -t proc none /proc; mount -t sysfs none /sys; mount -t devtmpfs none /dev
${modules.join('\n')}
mount -t 9p -o trans=virtio,version=9p2000.L,ro,msize=512000,cache=loose host /host
mount -t tmpfs none /over; mkdir /over/upper /over/work
mount -t overlay -o lowerdir=/host,upperdir=/over/upper,workdir=/over/work none /new
cd /new
mount -t proc none proc; mount -t sysfs none sys; mount -t devtmpfs none dev
mkdir -p dev/pts lib/modules; mount -t devpts none dev/pts
mount -t tmpfs none run
mount --bind /host${FOLDER}/lib/modules lib/modules
mkdir -p tmp/out; mount -t 9p -o trans=virtio,version=9p2000.L out tmp/out
exec switch_root /new /bin/sh tmp/out/run
`,
  )
  chmodSync(`${start}/init`, 0o755)
  ran('sh', [
    '-c',
    'cd start && find . | busybox cpio -o -H newc | gzip > ../start.new && mv ../start.new ../start.gz',
  ])
}

/**
 * Runs a line of shell in a virtual machine that has this file system, of which nothing is changed, and a
 * folder for what it writes, `/tmp/out`; answers whether it went well. Throws with what the machine said
 * where it did not get so far.
 *
 * @param folder - where that folder is here
 * @param seconds - how long it may take
 */
export function runInVm(line, folder, seconds) {
  writeFileSync(
    join(folder, 'run'),
    `export PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin HOME=/root
ip link set lo up
cd ${root}
${line}
echo $? > /tmp/out/ended
sync; echo o > /proc/sysrq-trigger; sleep 60
`,
  )
  const share = (path, tag, more) => [
    '-virtfs',
    `local,path=${path},mount_tag=${tag},security_model=none,multidevs=remap${more}`,
  ]
  const { stdout } = spawnSync(
    'timeout',
    [
      String(seconds),
      'qemu-system-x86_64',
      ...['-m', '3072', '-smp', '2', '-nographic', '-no-reboot', '-nic', 'none'],
      ...['-kernel', `${FOLDER}/kernel`, '-initrd', `${FOLDER}/start.gz`],
      ...['-append', 'console=ttyS0 quiet panic=-1'],
      ...share('/', 'host', ',readonly=on'),
      ...share(folder, 'out', ''),
    ],
    { stdio: ['ignore', 'pipe', 'inherit'], encoding: 'utf8', maxBuffer: 1 << 26 },
  )
  const ended = join(folder, 'ended')
  if (!existsSync(ended)) throw new Error(`The virtual machine did not come to its end: ${stdout}`)
  return readFileSync(ended, 'utf8').trim() === '0'
}

function copy(from, to) {
  mkdirSync(dirname(to), { recursive: true })
  copyFileSync(from, to)
}

/** Returns the output of a program; ends the script where it fails. */
function ran(command, args) {
  const { status, error, stdout, stderr } = spawnSync(command, args, { cwd: FOLDER, encoding: 'utf8' })
  if (status !== 0) give(`${command} ${args.join(' ')}: ${error?.message ?? stderr}`)
  return stdout
}
