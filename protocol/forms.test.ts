import { expect, test } from 'vitest'
import { groupForm } from './forms.ts'

test('an entry with faults is read once, and says all of them', async () => {
  let reads = 0
  const given = {
    get name() {
      reads++
      return 'x'.repeat(2000)
    },
    members: [3],
    note: '',
  }
  await expect(groupForm.validate(given, { abortEarly: false })).rejects.toMatchObject({
    inner: [{ path: 'name' }, { path: 'members[0]' }],
  })
  expect(reads).toBe(1)
  await expect(groupForm.validate({ name: 'Upstairs', members: [], note: '' })).resolves.toMatchObject({
    name: 'Upstairs',
  })
})
