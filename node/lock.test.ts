import { spawn } from 'node:child_process'
import { mkdtemp, readdir, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { build } from 'esbuild'
import { expect, test } from 'vitest'
import { LockedFolder, lockFolder } from './lock.ts'

test('of many processes that find the lock of a dead one, one at a time has it', async () => {
  const base = await mkdtemp(join(tmpdir(), 'kairostat-lock-'))
  const script = join(base, 'taker.mjs')
  await build({
    stdin: {
      // Whoever has it writes a file that must not be there, and takes it away again.
      contents: `
        import { rm, writeFile } from 'node:fs/promises'
        import { lockFolder, LockedFolder } from ${JSON.stringify(fileURLToPath(new URL('lock.ts', import.meta.url)))}
        const [folder] = process.argv.slice(2)
        for (let round = 0; round < 40; round++) {
          try {
            const unlock = await lockFolder(folder)
            await writeFile(folder + '/owner', '', { flag: 'wx' })
            if (round % 2) await new Promise((resolve) => setTimeout(resolve, Math.random() * 3))
            await rm(folder + '/owner')
            // Half of them leave a lock that looks like that of a dead process.
            if (round % 2) await unlock()
            else await writeFile(folder + '/lock', '1 dead ' + Math.random())
          } catch (error) {
            if (!(error instanceof LockedFolder)) { console.error(error.message); process.exit(1) }
          }
        }`,
      loader: 'js',
      resolveDir: base,
    },
    outfile: script,
    bundle: true,
    platform: 'node',
    format: 'esm',
  })
  const folder = await mkdtemp(join(tmpdir(), 'kairostat-lock-'))
  await writeFile(join(folder, 'lock'), '1 dead 0')
  const takers = Array.from(
    { length: 6 },
    () =>
      new Promise<string>((resolve) => {
        const child = spawn(process.execPath, [script, folder])
        let said = ''
        child.stderr.on('data', (text) => (said += String(text)))
        child.once('close', () => resolve(said))
      }),
  )
  expect((await Promise.all(takers)).join('')).toBe('')
  expect(await readdir(folder)).toEqual([])
  const unlock = await lockFolder(folder)
  await expect(lockFolder(folder)).rejects.toBeInstanceOf(LockedFolder)
  await unlock()
}, 60_000)
