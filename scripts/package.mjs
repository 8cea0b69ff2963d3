import { spawnSync } from 'node:child_process'
import {
  chmodSync,
  cpSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { parseArgs } from 'node:util'
import { bundleCli, bundleCommands, bundleInstalledGateway, bundleLists } from './bundle.mjs'
import { buildIfStale, give, installPackages, root, run } from './prepare.mjs'

/** The kinds of computers for which the password hash has a program: Linux with either C library. */
const PLATFORMS = [
  'linux-x64-gnu',
  'linux-arm64-gnu',
  'linux-arm-gnueabihf',
  'linux-x64-musl',
  'linux-arm64-musl',
]

const own = JSON.parse(readFileSync(`${root}package.json`, 'utf8'))
const {
  values: { version, to },
} = parseArgs({
  options: { version: { type: 'string', default: own.version }, to: { type: 'string', default: 'dist' } },
})
if (!/^\d+(\.\d+)*$/.test(version)) give(`--version is "${version}": write it like 1.2.3.`)
installPackages()
await buildIfStale()
await Promise.all([bundleCli(), bundleCommands(), bundleLists()])

mkdirSync(to, { recursive: true })
const work = `${root}dist/package`
rmSync(work, { recursive: true, force: true })
const names = [makeTarball(await stage(`${work}/kairostat-${version}`)), makeDeb(`${work}/deb`)]
rmSync(work, { recursive: true })
for (const name of names) console.log(`${name}  ${Math.round(statSync(name).size / 1e6)} MB`)

/** Puts together all that runs with Node alone, without a network; answers its folder. */
async function stage(folder) {
  const copy = (from, under = from) => cpSync(`${root}${from}`, `${folder}/${under}`, { recursive: true })
  copy('bin')
  copy('scripts/bundle.mjs')
  for (const file of ['cli.mjs', 'commands.mjs', 'list-thread.mjs', 'empty-database.tar'])
    copy(`dist/${file}`)
  await bundleInstalledGateway(`${folder}/dist/gateway.mjs`)
  copy('.output')
  // All programs share the packages that are not in their bundles.
  renameSync(`${folder}/.output/server/node_modules`, `${folder}/node_modules`)
  addPlatforms(`${folder}/node_modules/@node-rs`)
  for (const file of ['README.md', 'CHANGELOG.md', 'LICENSE', 'docs', 'packaging']) copy(file)
  rmSync(`${folder}/packaging/deb`, { recursive: true })
  const { name, description, license, type, engines } = own
  writeFileSync(
    `${folder}/package.json`,
    `${JSON.stringify({ name, version, description, license, type, engines }, null, 2)}\n`,
  )
  closeToWriters(folder)
  return folder
}

/** Adds the programs of other kinds of computers, as the registry of the packages has them. */
function addPlatforms(folder) {
  const { version: wanted } = JSON.parse(readFileSync(`${folder}/argon2/package.json`, 'utf8'))
  const kept = `${root}dist/platforms`
  mkdirSync(kept, { recursive: true })
  for (const platform of PLATFORMS) {
    const made = `${folder}/argon2-${platform}`
    const file = `${kept}/node-rs-argon2-${platform}-${wanted}.tgz`
    if (existsSync(made)) continue
    const name = `@node-rs/argon2-${platform}@${wanted}`
    if (!existsSync(file) && !run('npm', ['pack', name, '--pack-destination', kept], { quiet: true }))
      give(`${name} could not be fetched; the lines above say why.`)
    mkdirSync(made)
    must('tar', ['-xzf', file, '-C', made, '--strip-components=1'])
  }
}

/** Takes from everybody but their owner the right to change the files. */
function closeToWriters(folder) {
  for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
    const path = `${entry.parentPath}/${entry.name}`
    if (entry.isDirectory()) chmodSync(path, 0o755)
    else if (entry.isFile()) chmodSync(path, statSync(path).mode & 0o100 ? 0o755 : 0o644)
  }
}

function makeTarball(folder) {
  const file = `${to}/kairostat_${version}.tar.gz`
  const [name] = folder.split('/').slice(-1)
  must('tar', ['-czf', file, '--owner=0', '--group=0', '--sort=name', '-C', work, name])
  return file
}

function makeDeb(folder) {
  const file = `${to}/kairostat_${version}_all.deb`
  const [lib, doc, units] = ['usr/lib/kairostat', 'usr/share/doc/kairostat', 'lib/systemd/system'].map(
    (path) => `${folder}/${path}`,
  )
  for (const path of [`${folder}/usr/lib`, `${folder}/usr/bin`, doc, units, `${folder}/DEBIAN`])
    mkdirSync(path, { recursive: true })
  renameSync(`${work}/kairostat-${version}`, lib)
  for (const name of ['README.md', 'CHANGELOG.md', 'docs']) renameSync(`${lib}/${name}`, `${doc}/${name}`)
  renameSync(`${lib}/LICENSE`, `${doc}/copyright`)
  for (const unit of ['kairostat.service', 'kairostat-gateway.service'])
    renameSync(`${lib}/packaging/${unit}`, `${units}/${unit}`)
  mkdirSync(`${folder}/etc`)
  renameSync(`${lib}/packaging/etc`, `${folder}/etc/kairostat`)
  rmSync(`${lib}/packaging`, { recursive: true })
  symlinkSync('../lib/kairostat/bin/kairostat', `${folder}/usr/bin/kairostat`)
  cpSync(`${root}packaging/deb`, `${folder}/DEBIAN`, { recursive: true })
  writeFileSync(
    `${folder}/DEBIAN/control`,
    `${[
      'Package: kairostat',
      `Version: ${version}`,
      'Architecture: all',
      'Maintainer: The Kairostat developers <kairostat@kairostat.example>',
      'Section: net',
      'Priority: optional',
      'Depends: nodejs (>= 20.19), adduser',
      'Recommends: nftables, iproute2',
      `Description: ${own.description.split(',')[0]}`,
      ` ${own.description}`,
    ].join('\n')}\n`,
  )
  closeToWriters(folder)
  must('dpkg-deb', ['--build', '--root-owner-group', '-Zgzip', folder, file])
  return file
}

function must(command, args) {
  const { error, status, stderr } = spawnSync(command, args, { cwd: root, encoding: 'utf8' })
  if (error) give(`${command} is missing: packages are made on Debian.`)
  if (status !== 0) give(`${command} ${args.join(' ')}: ${stderr}`)
}
