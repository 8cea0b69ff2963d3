import { setResponseHeaders } from 'h3'
import { apiHandler } from '../services/api-handler.ts'
import { record } from '../services/audit.ts'
import { makeBackup } from '../services/backup.ts'

export default apiHandler(async ({ sql, database, folder, event }) => {
  const name = `kairostat-${new Date().toISOString().slice(0, 10)}.json.gz`
  setResponseHeaders(event, {
    'content-type': 'application/gzip',
    'content-disposition': `attachment; filename="${name}"`,
  })
  await record(sql, 'export', 'Backup downloaded')
  return makeBackup(database, folder)
})
