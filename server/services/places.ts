import { rm } from 'node:fs/promises'
import { dirname } from 'node:path'
import type { Logger } from 'pino'
import { freeId } from '../../core/policy/id.ts'
import type { Place } from '../../core/policy/types.ts'
import type { Topic } from '../../protocol/answers.ts'
import type { DemoSize } from '../demo/fill.ts'
import { tell, type Database } from '../sql/database.ts'
import { FIRST } from '../../protocol/places.ts'
import { addMember } from '../sql/people.ts'
import { place, placeIds, removePlace, savePlace } from '../sql/place.ts'
import { record } from './audit.ts'
import { gatewayFolderOf } from './backup.ts'
import { ApiError } from './errors.ts'
import { startPlace, type RunningPlace } from './running-place.ts'

/** What the places of a process work with. */
interface PlacesParts {
  readonly database: Database
  /** The data folder. */
  readonly folder: string
  readonly size: DemoSize
  readonly log: Logger
}

/** Every place, with what runs for it. */
export class Places {
  readonly #running = new Map<string, RunningPlace>()

  constructor(private readonly parts: PlacesParts) {}

  /** Starts what runs for each place. */
  async start(): Promise<void> {
    const ids = await placeIds(this.parts.database)
    for (const running of await Promise.all(ids.map((id) => this.#run(id))))
      this.#running.set(running.id, running)
  }

  async stop(): Promise<void> {
    await Promise.all(this.all().map((running) => running.stop()))
    this.#running.clear()
  }

  /** A place by its id; undefined = there is none. */
  of(id: string): RunningPlace | undefined {
    return this.#running.get(id)
  }

  /** Every place, the first made first. */
  all(): RunningPlace[] {
    return [...this.#running.values()]
  }

  /** Hears that something changed at a place; who may use which concerns all. */
  heard(id: string, topic: Topic): void {
    for (const running of topic === 'session' ? this.all() : [this.of(id)]) running?.tell(topic)
  }

  /** Hears that anything may have changed. */
  missed(): void {
    for (const running of this.all()) running.tell()
  }

  /**
   * Adds a place, of which somebody is the administrator.
   *
   * @returns its id
   */
  async add({ name, timeZone }: Place, account: string): Promise<string> {
    const { database } = this.parts
    const id = freeId(name, ['search', ...(await placeIds(database))])
    await database.at(id).transaction(async (tx) => {
      await savePlace(tx, { name, timeZone })
      await addMember(tx, account, { role: 'administrator', limit: null })
      await record(tx, 'settings', `Place “${name}” added`)
    })
    this.#running.set(id, await this.#run(id))
    await tell(database, 'session')
    return id
  }

  /**
   * Removes a place with all that is stored of it; a gateway that is paired goes on with what it has.
   *
   * @throws ApiError `not-found`, `not-possible` for the first
   */
  async remove(id: string): Promise<void> {
    const { database, folder } = this.parts
    if (id === FIRST)
      throw new ApiError('not-possible', 'The first place stays: Kairostat itself is administered there.')
    const running = this.of(id)
    if (!running) throw new ApiError('not-found', 'That place was removed already.')
    this.#running.delete(id)
    await running.stop()
    const name = (await place(running.sql))?.name ?? id
    await running.sql.transaction(removePlace)
    await rm(dirname(gatewayFolderOf(folder, id)), { recursive: true, force: true })
    await record(database.at(FIRST), 'settings', `Place “${name}” removed`)
    await tell(database, 'session')
  }

  #run(id: string): Promise<RunningPlace> {
    const { database, folder, size, log } = this.parts
    return startPlace({
      id,
      sql: database.at(id),
      gatewayFolder: gatewayFolderOf(folder, id),
      size,
      log: id === FIRST ? log : log.child({ place: id }),
    })
  }
}
