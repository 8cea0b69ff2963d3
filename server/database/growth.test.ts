import { mkdtemp, readdir, stat } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import { asFirst } from '../../tests/support/database.ts'
import { forgetLookups } from '../activity/lookup-sql.ts'
import { takeSnapshot } from '../operations/backup.ts'
import { openData } from '../operations/data-folder.ts'
import { tidyUp } from '../operations/snapshots.ts'
import { clearAway } from '../places/upkeep.ts'

const newFolder = () => mkdtemp(join(tmpdir(), 'kairostat-data-'))

test('thirty days of look-ups, sessions and edits leave a folder that is not twice as large as after ten', async () => {
  const folder = await newFolder()
  const sql = asFirst(await openData(folder))
  const sizes: number[] = []
  for (let day = 1; day <= 30; day++) {
    // A day goes by: all that is there is a day older, and the busy network of a day comes.
    await sql.exec(`
      update lookup set first_at = first_at - interval '1 day', last_at = last_at - interval '1 day';
      update session set created_at = created_at - interval '1 day', expires_at = expires_at - interval '1 day';
      update sign_in_try set tried_at = tried_at - interval '1 day';
      insert into account (name, password_hash) values ('ada', 'x') on conflict do nothing;
      insert into lookup (mac, name, effect, first_at, last_at, tries)
        select '02:5e:10:00:00:' || lpad(to_hex(row % 20), 2, '0'), 'name' || row || '.zone' || row % 97 || '.example', 'allow', now() - random() * interval '20 hours', now(), 3 from generate_series(1, 3000) row;
      insert into session (token_hash, account, expires_at) select ${day} || '-' || row, 'ada', now() + interval '3 days' from generate_series(1, 200) row;
      insert into sign_in_try (account, address) select 'ada', '192.0.2.1' from generate_series(1, 500);
      insert into draft_step (changes) select repeat('x', 2000) from generate_series(1, 50);
      delete from draft_step where number <= (select max(number) from draft_step) - 200`)
    await forgetLookups(sql, { kept: true, days: 5, exempt: [] })
    await clearAway(sql)
    await tidyUp(sql)
    await takeSnapshot(sql, folder)
    sizes.push(await sizeOf(folder))
  }
  expect([
    await sql.query('select count(*)::int as rows from lookup'),
    await sql.query('select count(*)::int < 1000 as few from session'),
  ]).toEqual([[{ rows: 15_000 }], [{ few: true }]])
  await sql.close()
  expect(sizes[29]! / sizes[9]!).toBeLessThan(2)
}, 120_000)

/** The bytes in the files of a folder. */
async function sizeOf(folder: string): Promise<number> {
  const names = await readdir(folder, { recursive: true })
  const sizes = await Promise.all(
    names.map((name) => stat(join(folder, name)).then((found) => (found.isFile() ? found.size : 0))),
  )
  return sizes.reduce((sum, size) => sum + size, 0)
}
