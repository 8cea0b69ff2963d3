import { Mutex } from 'async-mutex'
import type { Logger } from 'pino'
import { isThere } from '../../node/atomic-file.ts'
import { freeId } from '../../core/policy/id.ts'
import type { Place } from '../../core/policy/types.ts'
import { TOPICS, type Topic } from '../../protocol/answers.ts'
import type { DemoSize } from '../demo/fill.ts'
import { tell, type Actor, type Database, type Sql } from '../database/database.ts'
import { FIRST } from '../../protocol/places.ts'
import { addMember } from '../accounts/people-sql.ts'
import { boundPlaces, place, placeIds, placeKey, removePlace } from '../database/place-sql.ts'
import { savePlace } from '../draft/place-sql.ts'
import { record } from '../accounts/audit.ts'
import { forgetPlaceFolder, gatewayFolderOf, ownPlaceFolder, routerFileOf } from './place-folder.ts'
import { ApiError } from '../errors.ts'
import { pacedLoop } from '../../node/paced-loop.ts'
import { startPlace, type RunningPlace } from './running-place.ts'

/** The surroundings of the places of a process. */
interface PlacesParts {
  readonly database: Database
  /** The data folder. */
  readonly folder: string
  readonly size: DemoSize
  readonly log: Logger
  /** The address at which this process is reached by others. */
  readonly peer: () => string
}

/** The time between two looks for places that no process runs. */
const LOOK_MS = 1000

/** A place, as every process knows it. */
export interface KnownPlace {
  readonly id: string
  /** The database as the place sees it. */
  readonly sql: Sql
  /** The parts that run for it in this process; `null` = another process runs it. */
  readonly running: RunningPlace | null
  /** Hears of every change until the function that comes back is called. */
  hear(heard: (topic: Topic) => void): () => void
}

class Here implements KnownPlace {
  running: RunningPlace | null = null
  readonly #listeners = new Set<(topic: Topic) => void>()

  constructor(
    readonly id: string,
    readonly sql: Sql,
  ) {}

  hear(heard: (topic: Topic) => void): () => void {
    this.#listeners.add(heard)
    return () => this.#listeners.delete(heard)
  }

  tell(topic: Topic): void {
    if (topic === 'live') this.running?.link.liveChanged()
    this.#listeners.forEach((listener) => listener(topic))
  }
}

/** Every place. What runs for each runs in one process, which is another where this one dies. */
export class Places {
  readonly #known = new Map<string, Here>()
  /** One look, addition or removal at a time. */
  readonly #turn = new Mutex()
  #stopLooking: () => void = () => {}

  constructor(private readonly parts: PlacesParts) {}

  /** Starts what runs for each place that no other process runs; and for those whose process dies, later. */
  async start(): Promise<void> {
    const { database, log } = this.parts
    await this.look()
    if (database.isShared)
      this.#stopLooking = pacedLoop(
        { everyMs: LOOK_MS, isSpread: true },
        () => this.look(),
        (error) => log.warn(error, 'places'),
      )
  }

  async stop(): Promise<void> {
    this.#stopLooking()
    await this.#turn.runExclusive(() => Promise.all([...this.#known.values()].map((one) => this.#end(one))))
  }

  /** Looks which places there are, and runs those that no other process runs. */
  look(): Promise<void> {
    return this.#turn.runExclusive(async () => {
      const ids = await placeIds(this.parts.database).catch((error: unknown) => {
        // Without the database nobody knows who runs what: another may by now.
        if (this.parts.database.isShared) return [...this.#known.keys()]
        throw error
      })
      for (const id of ids)
        if (!this.#known.has(id)) this.#known.set(id, new Here(id, this.parts.database.at(id)))
      for (const one of [...this.#known.values()].filter(({ id }) => !ids.includes(id))) {
        await this.#end(one)
        this.#known.delete(one.id)
        await forgetPlaceFolder(this.parts.folder, one.id)
      }
      const { held, shutOut } = await this.parts.database.hold((await this.#runnable(ids)).map(lockOf))
      if (shutOut > 0) await this.#tellShutOut()
      const all = [...this.#known.values()]
      // A router that is driven from here is driven by nobody else: it goes on without the database.
      const over = all.filter(({ id, running }) => !held.has(lockOf(id)) && !running?.router?.isPaired)
      await Promise.all(over.map((one) => this.#end(one)))
      await Promise.all(
        all.filter(({ id, running }) => held.has(lockOf(id)) && !running).map((one) => this.#run(one)),
      )
    })
  }

  /** Those that may run in this process: not those of which another drives the router over SSH. */
  async #runnable(ids: readonly string[]): Promise<string[]> {
    const { database, folder } = this.parts
    if (!database.isShared) return [...ids]
    const bound = await boundPlaces(database).catch(() => [])
    const elsewhere = new Set<string>()
    for (const id of bound) if (!(await isThere(routerFileOf(folder, id)))) elsewhere.add(id)
    return ids.filter((id) => !elsewhere.has(id))
  }

  /** A place by its id; undefined = there is none. One that another process added is found. */
  async of(id: string): Promise<KnownPlace | undefined> {
    if (!this.#known.has(id) && this.parts.database.isShared) await this.look()
    return this.#known.get(id)
  }

  /** Every place, the first made first. */
  all(): KnownPlace[] {
    return [...this.#known.values()]
  }

  /** Hears that something changed at a place; who may use which concerns all. */
  heard(id: string, topic: Topic): void {
    for (const one of topic === 'session' ? this.#known.values() : [this.#known.get(id)]) one?.tell(topic)
  }

  /** Hears that anything may have changed. */
  missed(): void {
    for (const one of this.#known.values()) TOPICS.forEach((topic) => one.tell(topic))
  }

  /**
   * Adds a place, of which somebody is the administrator.
   *
   * @returns its id
   */
  async add({ name, timeZone }: Place, account: string, by?: Actor): Promise<string> {
    const { database } = this.parts
    const id = freeId(name, ['search', ...(await placeIds(database))])
    await database.at(id).transaction(async (tx) => {
      // Rows that were written while an earlier place of this id was removed are deleted.
      await removePlace(tx)
      await savePlace(tx, { name, timeZone })
      await addMember(tx, account, { role: 'administrator', limit: null })
      await record(tx, 'settings', `Place “${name}” added`, by)
    })
    await this.look()
    await tell(database, 'session')
    return id
  }

  /**
   * Removes a place with all that is stored of it; a gateway that is paired goes on with what it has.
   *
   * @throws ApiError `not-found`, `not-possible` for the first
   */
  async remove(id: string, by?: Actor): Promise<void> {
    const { database } = this.parts
    if (id === FIRST)
      throw new ApiError('not-possible', 'The first place stays: Kairostat itself is administered there.')
    const one = this.#known.get(id)
    if (!one) throw new ApiError('not-found', 'That place was removed already.')
    const name = (await place(one.sql))?.name ?? id
    await one.sql.transaction(removePlace)
    // Whoever runs it ends that and forgets its folder, since it is there no more.
    await this.look()
    await record(database.at(FIRST), 'settings', `Place “${name}” removed`, by)
    await tell(database, 'session')
  }

  async #tellShutOut(): Promise<void> {
    const { database, log } = this.parts
    const words = 'A process of Kairostat gave no sign for 15 s: its places are taken over'
    log.warn(words)
    await record(database.at(FIRST), 'settings', words).catch((error: unknown) => log.warn(error, 'places'))
  }

  async #run(one: Here): Promise<void> {
    const { database, folder, size, log, peer } = this.parts
    try {
      await ownPlaceFolder(folder, one.id, await placeKey(one.sql))
      one.running = await startPlace({
        id: one.id,
        sql: one.sql,
        gatewayFolder: gatewayFolderOf(folder, one.id),
        size,
        log: one.id === FIRST ? log : log.child({ place: one.id }),
        peer: peer(),
      })
    } catch (error) {
      if (!database.isShared) throw error
      log.error(error, `place ${one.id}`)
      await database.letGo(lockOf(one.id))
    }
  }

  async #end(one: Here): Promise<void> {
    const { running } = one
    one.running = null
    await running?.stop()
    await this.parts.database.letGo(lockOf(one.id)).catch(() => {})
  }
}

const lockOf = (id: string) => `kairostat place ${id}`
