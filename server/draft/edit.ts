import { ENTRY_KINDS, KINDS, type EntryKind, type EntryOf } from '../../core/policy/kinds.ts'
import { versionTag } from '../../core/policy/canonical.ts'
import type { Place, Policy } from '../../core/policy/types.ts'
import { actorOf, type Sql } from '../database/database.ts'
import { devices, freeAdapters, groups, saveDevice, saveGroup } from './device-sql.ts'
import { DRAFT_PARTS, touchParts, type DraftPart } from './draft-part-sql.ts'
import { addStep, markStep, stepTo, type DraftChange } from './draft-step-sql.ts'
import { apps, saveApp, saveSiteList, siteLists } from './list-sql.ts'
import { networks, saveNetwork } from './network-sql.ts'
import { moveTo, orderBy, removeRow, TABLES } from './order-sql.ts'
import { place } from '../database/place-sql.ts'
import { savePlace } from './place-sql.ts'
import { rules, saveRule } from './rule-sql.ts'
import { saveSchedule, schedules } from './schedule-sql.ts'
import { record } from '../accounts/audit.ts'
import { changeWords } from './edit-words.ts'
import { ApiError } from '../errors.ts'

export { nextSteps } from './draft-step-sql.ts'

interface Store<T> {
  all(sql: Sql): Promise<T[]>
  save(sql: Sql, entry: T): Promise<void>
}

const STORES: { readonly [K in EntryKind]: Store<EntryOf[K]> } = {
  device: { all: devices, save: saveDevice },
  network: { all: networks, save: saveNetwork },
  group: { all: groups, save: saveGroup },
  schedule: { all: schedules, save: saveSchedule },
  siteList: { all: siteLists, save: saveSiteList },
  app: { all: apps, save: saveApp },
  rule: { all: rules, save: saveRule },
}

/**
 * One edit of the draft while it is being made: everything is written through it, so that it can be undone.
 */
export interface Edit {
  /** The transaction, to ask with. */
  readonly sql: Sql
  /** Every entry of a kind as it is now, in order. */
  all<K extends EntryKind>(kind: K): Promise<readonly EntryOf[K][]>
  /** Adds an entry at the end, or replaces the one with its id. */
  put<K extends EntryKind>(kind: K, entry: EntryOf[K]): Promise<void>
  /** @throws ApiError `not-found` */
  remove(kind: EntryKind, id: string): Promise<void>
  place(place: Place): Promise<void>
  /** Puts the entries of a kind into the order of the ids; those not named keep theirs. */
  order(kind: EntryKind, ids: readonly string[]): Promise<void>
}

/** Every entry of a kind in the draft, in order. */
export function entriesOf<K extends EntryKind>(sql: Sql, kind: K): Promise<EntryOf[K][]> {
  return STORES[kind].all(sql)
}

/** The number of the step that an edit made, by which it can be undone; `null` where it changed nothing. */
export interface Made {
  readonly step: number | null
}

/**
 * Makes one edit, whole or not at all, tells of it and keeps how to undo it. The work may be done more than
 * once, as a transaction may: what it finds out, it returns.
 *
 * @returns the edit, with what the work returned
 * @throws ApiError `unknown-part` where the tables refuse a reference (SQLSTATE 23503): another edit took it
 *   away; `has-owner` where a device would belong to two people
 */
export function edit(sql: Sql, work: (draft: Edit) => Promise<void>): Promise<Made>
export function edit<T extends object>(sql: Sql, work: (draft: Edit) => Promise<T>): Promise<Made & T>
export async function edit(sql: Sql, work: (draft: Edit) => Promise<unknown>): Promise<Made> {
  try {
    return await sql.transaction(async (tx) => {
      const changes: DraftChange[] = []
      const found = (await work(recorder(tx, changes))) as object | undefined
      const real = changes.filter(
        ({ before, after }) => before === null || after === null || versionTag(before) !== versionTag(after),
      )
      if (real.length === 0) return { step: null, ...found }
      const { lines, title } = await changeWords(tx, real)
      const step = await addStep(tx, { changes: real, author: actorOf(sql).account ?? '', title })
      await touchParts(tx, real.map(partOf))
      await record(tx, 'edit', lines)
      return { step, ...found }
    })
  } catch (error) {
    if (error instanceof Error && 'code' in error && error.code === '23503')
      throw new ApiError('unknown-part', String((error as { detail?: string }).detail ?? ''))
    if (error instanceof Error && 'constraint' in error && error.constraint === 'group_member_one_owner')
      throw new ApiError('has-owner')
    throw error
  }
}

/**
 * Undoes or redoes the edit with this number, where it is the next in that direction; one of somebody else only
 * where `anyway` says so.
 *
 * @throws ApiError `no-such-step`, `others-edit`, and `changed-meanwhile` where other edits came between
 */
export function takeStep(sql: Sql, to: 'undo' | 'redo', number: number, anyway = false): Promise<void> {
  const { account } = actorOf(sql)
  return sql.transaction(async (tx) => {
    const step = await stepTo(tx, to)
    if (!step) throw new ApiError('no-such-step')
    if (step.number !== number) throw new ApiError('changed-meanwhile')
    const { lines: words } = await changeWords(tx, step.changes)
    if (step.author !== '' && step.author !== account && !anyway)
      throw new ApiError('others-edit', `It was made by ${step.author}: ${words.split('\n')[0]}.`)
    const whose = step.author === '' || step.author === account ? '' : ` (an edit by ${step.author})`
    await record(tx, 'edit', `${to === 'undo' ? 'Undone' : 'Done again'}${whose}: ${words}`)
    const changes = to === 'redo' ? step.changes : step.changes.toReversed().map(reversed)
    await freeAdapters(
      tx,
      changes.flatMap((change) => (change.kind === 'device' ? [(change.before ?? change.after)!.id] : [])),
    )
    for (const change of changes) {
      await write(tx, change)
      if (change.kind in STORES && change.before === null)
        await moveTo(
          tx,
          TABLES[change.kind as EntryKind],
          (change.after as { id: string }).id,
          (change as { at: number }).at,
        )
    }
    await markStep(tx, number, to === 'undo')
    await touchParts(tx, changes.map(partOf))
  })
}

/**
 * Makes the draft hold exactly this policy (its overrides left aside), with nothing to undo. For a new
 * database: what is there already stays beside it.
 */
export function fillDraft(sql: Sql, policy: Policy): Promise<void> {
  return sql.transaction(async (tx) => {
    await savePlace(tx, policy.place)
    for (const kind of KINDS) {
      const { save } = STORES[kind] as unknown as Store<{ id: string }>
      for (const entry of policy[ENTRY_KINDS[kind].key]) await save(tx, entry)
    }
    await touchParts(tx, DRAFT_PARTS)
  })
}

function recorder(sql: Sql, changes: DraftChange[]): Edit {
  // The entries of a kind are read once in an edit, then kept up to date.
  const known = new Map<EntryKind, readonly { id: string }[]>()
  const list = async (kind: EntryKind) => {
    if (!known.has(kind)) known.set(kind, await STORES[kind].all(sql))
    return known.get(kind)!
  }
  const make = async (change: DraftChange) => {
    await write(sql, change)
    changes.push(change)
  }
  return {
    sql,
    all: async <K extends EntryKind>(kind: K) => (await list(kind)) as unknown as readonly EntryOf[K][],
    put: async (kind, entry) => {
      const entries = await list(kind)
      const at = entries.findIndex(({ id }) => id === entry.id)
      await make({ kind, before: entries[at] ?? null, after: entry, at: at < 0 ? entries.length : at })
      known.set(kind, at < 0 ? [...entries, entry] : entries.with(at, entry))
    },
    remove: async (kind, id) => {
      const entries = await list(kind)
      const at = entries.findIndex((entry) => entry.id === id)
      if (at < 0) throw new ApiError('not-found', `The draft has no ${kind} “${id}”.`)
      await make({ kind, before: entries[at]!, after: null, at })
      known.set(kind, entries.toSpliced(at, 1))
    },
    place: async (after) => make({ kind: 'place', before: (await place(sql))!, after }),
    order: async (kind, ids) => {
      const before = (await list(kind)).map(({ id }) => id)
      await make({ kind: 'order', of: kind, before, after: ids })
    },
  }
}

async function write(sql: Sql, change: DraftChange): Promise<void> {
  if (change.kind === 'place') return savePlace(sql, change.after)
  if (change.kind === 'order') return orderBy(sql, TABLES[change.of], change.after)
  const store = STORES[change.kind] as unknown as Store<{ id: string }>
  if (change.after !== null) return store.save(sql, change.after)
  await removeRow(sql, TABLES[change.kind], change.before!.id)
}

function partOf(change: DraftChange): DraftPart {
  if (change.kind === 'place') return 'place'
  return ENTRY_KINDS[change.kind === 'order' ? change.of : change.kind].key
}

function reversed(change: DraftChange): DraftChange {
  return { ...change, before: change.after, after: change.before } as DraftChange
}
