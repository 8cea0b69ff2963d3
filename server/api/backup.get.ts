import { setResponseHeaders } from 'h3'
import { apiHandler } from '../http/api-handler.ts'
import { record } from '../accounts/audit.ts'
import { makeBackup } from '../operations/backup.ts'

export default apiHandler(async ({ sql, database, folder, event }) => {
  const name = `kairostat-${new Date().toISOString().slice(0, 10)}.json.gz`
  setResponseHeaders(event, {
    'content-type': 'application/gzip',
    'content-disposition': `attachment; filename="${name}"`,
  })
  await record(sql, 'export', 'Backup downloaded')
  return makeBackup(database, folder)
})
