import { randomBytes } from 'node:crypto'
import { overridesFor } from '../../core/policy/overrides.ts'
import type { Policy } from '../../core/policy/types.ts'
import { lengthWords } from '../../core/words/length.ts'
import { subjectWords } from '../../core/words/override.ts'
import type { SavedActForm } from '../../protocol/edits.ts'
import type { HelperLimit } from '../../protocol/roles.ts'
import { record } from '../accounts/audit.ts'
import { tell, type Sql } from '../database/database.ts'
import { ApiError } from '../errors.ts'
import { livePolicy } from './live.ts'
import { makeOverride } from './overrides.ts'
import { addSavedAct, removeSavedAct, savedActs } from './saved-act-sql.ts'

export { savedActs } from './saved-act-sql.ts'

/** The most saved acts of a place. */
const MOST_ACTS = 50

/**
 * Saves an act under a name.
 *
 * @returns its id
 * @throws ApiError `unknown-part` where it names what is not live, `name-taken`, `not-possible` where there
 *   are too many
 */
export function saveAct(sql: Sql, form: SavedActForm, author: string): Promise<string> {
  return sql.transaction(async (tx) => {
    const { policy } = await livePolicy(tx)
    if (!isLive(policy, form)) throw new ApiError('unknown-part', 'Apply what it names first.')
    if ((await savedActs(tx)).length >= MOST_ACTS)
      throw new ApiError('not-possible', '', [
        { path: 'name', message: `would be act ${MOST_ACTS + 1} of ${MOST_ACTS}: delete one first` },
      ])
    const id = `act-${randomBytes(6).toString('hex')}`
    if (!(await addSavedAct(tx, { ...form, id }, author))) throw new ApiError('name-taken')
    await record(tx, 'override', `Act saved: ${form.name} (${actWords(form, policy)})`)
    await tell(tx, 'saved-acts')
    return id
  })
}

/**
 * Deletes a saved act; overrides that it made go on.
 *
 * @throws ApiError `not-found`
 */
export function deleteAct(sql: Sql, id: string): Promise<void> {
  return sql.transaction(async (tx) => {
    const name = await removeSavedAct(tx, id)
    if (name === null) throw new ApiError('not-found', 'That act was deleted already.')
    await record(tx, 'override', `Act deleted: ${name}`)
    await tell(tx, 'saved-acts')
  })
}

/**
 * Does a saved act now: makes its override, which has its name as the note.
 *
 * @param limit what a helper may do; `null` = anything
 * @returns the id of the override
 * @throws ApiError `not-found`, `unknown-part`, `beyond-limit`
 */
export function doAct(sql: Sql, id: string, author: string, limit: HelperLimit | null): Promise<string> {
  return sql.transaction(async (tx) => {
    const act = (await savedActs(tx)).find((one) => one.id === id)
    if (!act) throw new ApiError('not-found', 'That act was deleted.')
    const { policy } = await livePolicy(tx)
    if (!isLive(policy, act))
      throw new ApiError('unknown-part', `What “${act.name}” names is gone: delete the act and save it anew.`)
    const { effect, who, what, lasts, name } = act
    return makeOverride(tx, { effect, who, what, note: name, from: null, until: null, lasts }, author, limit)
  })
}

/** Whether the policy has everything that an act names. */
const isLive = (policy: Policy, act: SavedActForm) => overridesFor(policy, [act]).length > 0

const actWords = ({ effect, who, lasts }: SavedActForm, policy: Policy) =>
  `${subjectWords(who, policy)} ${effect === 'allow' ? 'allowed' : 'blocked'} for ${lengthWords(lasts)}`
