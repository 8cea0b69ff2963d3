import { setImmediate } from 'node:timers/promises'
import { overridesFor, spentFor } from '../../core/policy/overrides.ts'
import type { Policy } from '../../core/policy/types.ts'
import { instantText } from '../../core/time/instant.ts'
import type { PeriodAnswer } from '../../protocol/answers.ts'
import type { Sql } from '../database/database.ts'
import { overridesSince } from './override-sql.ts'
import { spentSince } from './spent-sql.ts'
import { revisions } from './revision-sql.ts'
import { emptyPolicy, policyWithoutSites } from './live.ts'

/**
 * Yields what was in force from an instant (seconds) until now: the revision of that time and all later ones,
 * each with the overrides of its time, and before the first revision a policy that restricts nobody. Lists
 * come without entries. A revision that another one followed within its second was never in force. Each
 * period is read when it is asked for, and others get a turn between two of them.
 */
export async function* history(sql: Sql, from: number): AsyncGenerator<PeriodAnswer> {
  const all = (await revisions(sql))
    .toReversed()
    .filter(({ createdAt }, index, every) => createdAt !== every[index + 1]?.createdAt)
  const start = instantText(from)
  const first = all.findLastIndex(({ createdAt }) => createdAt <= start)
  const [overrides, spent] = [await overridesSince(sql, start), await spentSince(sql, start)]
  const isWithin = (
    one: { from: string; until: string | null },
    begins: string | null,
    ends: string | null,
  ) => (ends === null || one.from < ends) && (begins === null || one.until === null || one.until > begins)
  const period = (
    policy: Policy,
    number: number | null,
    begins: string | null,
    ends: string | null,
  ): PeriodAnswer => ({
    number,
    from: begins,
    until: ends,
    policy: {
      ...policy,
      overrides: overridesFor(
        policy,
        overrides.filter((one) => isWithin(one, begins, ends)),
      ),
      spent: spentFor(
        policy,
        spent.filter((one) => isWithin(one, begins, ends)),
      ),
    },
  })
  if (first < 0) yield period(await emptyPolicy(sql), null, null, all[0]?.createdAt ?? null)
  for (const [index, revision] of all.entries()) {
    if (index < first) continue
    const policy = await policyWithoutSites(sql, revision)
    yield period(policy, revision.number, revision.createdAt, all[index + 1]?.createdAt ?? null)
    await setImmediate()
  }
}
