import { spawn } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import pg from 'pg'
import { canonicalText, digestOf } from '../../core/policy/canonical.ts'
import type { Policy } from '../../core/policy/types.ts'
import { fillDraft } from '../../server/draft/edit.ts'
import { fillDemo } from '../../server/demo/fill.ts'
import { addMember } from '../../server/accounts/people-sql.ts'
import { savePlace } from '../../server/draft/place-sql.ts'
import { addRevision } from '../../server/live/revision-sql.ts'
import { openServer } from '../../server/database/postgres.ts'
import { newDatabase } from '../support/database.ts'
import { freePort, PASSWORD } from '../support/place.ts'
import { startPostgres } from '../support/postgres.ts'
import { largePolicy } from './policy.ts'
import type { Report } from './report.ts'

/** The devices of a further place, and the edits in a second. */
const [DEVICES, EDITS_A_SECOND] = [30, 20]
/** A session has so many streams. */
const STREAMS_A_SESSION = 20

/** The further places and event streams, the time of the edits, and the rest before. */
interface Load {
  readonly places: number
  readonly streams: number
  readonly seconds: number
  readonly restSeconds: number
  readonly hasTargets: boolean
}
const WHOLE: Load = { places: 200, streams: 200, seconds: 60, restSeconds: 20, hasTargets: true }

/** One process on PostgreSQL with many places that are looked at and edited. */
export async function placesFigures(add: Report['add'], size: Load = WHOLE): Promise<void> {
  const { places, streams, seconds, restSeconds } = size
  const figure: Report['add'] = (name, value, unit, target) =>
    add(name, value, unit, size.hasTargets ? target : undefined)
  const server = await startPostgres()
  try {
    const url = await newDatabase(server.url)
    await fill(url, 0)
    const alone = await running(url, async ({ pid }) => {
      await pause(restSeconds * 1000)
      return memoryOf(pid)
    })
    await fill(url, places)
    await running(url, async ({ pid, address, cookies }) => {
      await pause(restSeconds * 500)
      const before = await commits(url)
      await pause(restSeconds * 1000)
      const asked = ((await commits(url)) - before) / places / (restSeconds / 60)
      const memory = memoryOf(pid)
      figure(`memory of one of ${places} places of ${DEVICES} devices`, (memory - alone) / places, 'MB')
      figure('transactions a minute of one place at rest', asked, '')
      const { times, errors, heard } = await load(address, cookies, size)
      times.sort((a, b) => a - b)
      const at = (share: number) => times[Math.floor(times.length * share)]!
      const what = `${EDITS_A_SECOND} edits a second at ${places} places with ${streams} streams`
      figure(`${what}: half`, at(0.5), 'ms')
      figure(`${what}: p99`, at(0.99), 'ms', { most: 250 })
      figure(`${what}: edits`, times.length, '', { least: EDITS_A_SECOND * seconds * 0.98 })
      figure(`${what}: events heard an edit`, heard / times.length, '', { least: 0.99 })
      figure(`${what}: errors`, errors, '', { most: 0 })
      figure(`memory with ${places} places after that`, memoryOf(pid), 'MB', { most: 1200 })
    })
  } finally {
    await server.stop()
  }
}

interface Running {
  readonly pid: number
  readonly address: string
  readonly cookies: readonly string[]
}

/** The demo's account with so many places, each with a policy that is live. */
async function fill(url: string, count: number): Promise<void> {
  const database = await openServer(url, fail, 'alone')
  try {
    await fillDemo(database, PASSWORD, 'workshop')
    for (let index = 0; index < count; index++) {
      const policy: Policy = {
        ...largePolicy({ devices: DEVICES, rules: 12, schedules: 5, seed: index + 1 }),
        overrides: [],
      }
      const sql = database.at(idOf(index))
      await sql.transaction(async (tx) => {
        await savePlace(tx, { name: `Shop ${index}`, timeZone: policy.place.timeZone })
        await addMember(tx, 'demo', { role: 'administrator', limit: null })
      })
      await fillDraft(sql, policy)
      const facts = { digest: digestOf(policy), document: canonicalText(policy), author: 'demo', note: '' }
      await addRevision(sql, facts)
    }
  } finally {
    await database.close()
  }
}

const idOf = (index: number) => `shop-${index}`

/** Runs the built application while something is measured. */
async function running<T>(url: string, measure: (running: Running) => Promise<T>): Promise<T> {
  const folder = await mkdtemp(join(tmpdir(), 'kairostat-bench-'))
  const port = await freePort()
  const address = `http://127.0.0.1:${port}`
  const program = spawn(process.execPath, ['.output/server/index.mjs'], {
    stdio: ['ignore', 'ignore', 'inherit'],
    env: {
      ...process.env,
      ...{ DATABASE_URL: url, KAIROSTAT_DATA: folder, PORT: String(port), LOG_LEVEL: 'warn' },
      // Pages of many people come from this one machine.
      KAIROSTAT_TRUSTED_PROXY: '127.0.0.1',
    },
  })
  try {
    for (let tries = 0; ; tries++) {
      const isThere = await fetch(`${address}/api/health`).then(
        ({ ok }) => ok,
        () => false,
      )
      if (isThere) break
      if (tries > 1200) throw new Error('The application did not answer within two minutes.')
      await pause(100)
    }
    const cookies: string[] = []
    for (let session = 0; session < WHOLE.streams / STREAMS_A_SESSION; session++) {
      const answer = await fetch(`${address}/api/session`, {
        method: 'POST',
        headers: { 'origin': address, 'content-type': 'application/json' },
        body: JSON.stringify({ name: 'demo', password: PASSWORD }),
      })
      cookies.push(answer.headers.get('set-cookie')!.split(';')[0]!)
    }
    return await measure({ pid: program.pid!, address, cookies })
  } finally {
    const ended = new Promise((resolve) => program.once('exit', resolve))
    program.kill()
    await ended
    await rm(folder, { recursive: true, force: true })
  }
}

/**
 * Edits at random places while all are listened to; the times are from asking to the answer, in
 * milliseconds.
 */
async function load(address: string, cookies: readonly string[], { places, streams, seconds }: Load) {
  const stop = new AbortController()
  let [heard, errors] = [0, 0]
  for (let index = 0; index < streams; index++) {
    const path = `${address}/api/places/${idOf(index % places)}/events`
    const headers = { cookie: cookies[Math.floor(index / STREAMS_A_SESSION)]! }
    const answer = await fetch(path, { headers, signal: stop.signal })
    if (!answer.ok) throw new Error(`A stream was answered ${answer.status}.`)
    void (async () => {
      for await (const part of answer.body!)
        heard += Buffer.from(part).toString().split('data: draft').length - 1
    })().catch(() => {})
  }
  const times: number[] = []
  const edits: Promise<void>[] = []
  const begun = performance.now()
  for (let count = 0; count < EDITS_A_SECOND * seconds; count++) {
    const wait = begun + (count * 1000) / EDITS_A_SECOND - performance.now()
    if (wait > 0) await pause(wait)
    edits.push(edit(count))
  }
  await Promise.all(edits)
  await pause(2000)
  stop.abort()
  return { times, errors, heard }

  async function edit(count: number): Promise<void> {
    const at = performance.now()
    const place = idOf((count * 7919) % places)
    const answer = await fetch(`${address}/api/places/${place}/groups`, {
      method: 'POST',
      headers: {
        'origin': address,
        'cookie': cookies[count % cookies.length]!,
        'content-type': 'application/json',
      },
      body: JSON.stringify({ name: `Group ${count}`, note: '', members: [] }),
    }).catch(() => null)
    await answer?.arrayBuffer()
    times.push(performance.now() - at)
    if (!answer?.ok) errors++
  }
}

/** The memory of a process, in MB (RSS). */
function memoryOf(pid: number): number {
  return Number(/^VmRSS:\s+(\d+)/m.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1024
}

/** Returns the number of transactions of the database. */
async function commits(url: string): Promise<number> {
  const client = new pg.Client(url)
  await client.connect()
  const { rows } = await client.query<{ count: string }>(
    'select xact_commit as count from pg_stat_database where datname = current_database()',
  )
  await client.end()
  return Number(rows[0]!.count)
}

function fail(error: Error): never {
  throw error
}
