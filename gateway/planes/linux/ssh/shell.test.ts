import { spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { randomInt } from 'node:crypto'
import { expect, test } from 'vitest'
import { attachedScript } from './shell.ts'
import { LOCAL_SYSTEM } from '../system.ts'

/** A program that says something and stays, which can be told from all others. */
const staying = () => {
  const seconds = randomInt(1_000_000, 10_000_000)
  return {
    command: 'sh',
    args: ['-c', `echo up; exec sleep ${seconds}`],
    runs: () => spawnSync('pgrep', ['-f', `sleep ${seconds}`]).status === 0,
  }
}

test('a program that is followed ends with who follows it, however that ends', async () => {
  for (const signal of ['SIGTERM', 'SIGKILL'] as const) {
    const { command, args, runs } = staying()
    const script = attachedScript(command, args)
    // The follower keeps the other end of its input, and of nothing else.
    const follower = spawn(process.execPath, [
      '-e',
      `require('child_process').spawn('sh', ['-c', process.argv[1]], { stdio: ['pipe', 'inherit', 'ignore'] })`,
      script,
    ])
    await once(follower.stdout, 'data')
    expect(runs()).toBe(true)
    follower.kill(signal)
    await expect.poll(runs).toBe(false)
  }
})

test('a program that is followed is begun again when it ends, and no more once it is let go', async () => {
  const { command, args, runs } = staying()
  const faults: unknown[] = []
  const heard = { times: 0 }
  const stop = LOCAL_SYSTEM.follow(
    command,
    args,
    () => heard.times++,
    (error) => faults.push(error),
  )
  await expect.poll(() => heard.times).toBe(1)
  spawnSync('pkill', ['-f', `^${args[1]!.split('exec ')[1]}`])
  await expect.poll(() => heard.times, { timeout: 5000 }).toBe(2)
  stop()
  await expect.poll(runs).toBe(false)
  expect(faults).toEqual([])
})

test('a program that is not there is told of', async () => {
  let stop = () => {}
  const fault = new Promise((resolve) => {
    stop = LOCAL_SYSTEM.follow('there-is-none', [], () => {}, resolve)
  })
  expect(String(await fault)).toContain('there-is-none is missing')
  stop()
})
