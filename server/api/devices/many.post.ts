import { deviceEditsForm } from '../../../shared/forms.ts'
import { answering, bodyOf } from '../../services/answering.ts'
import { putDevices } from '../../services/draft.ts'

export default answering(async ({ sql, event }) => ({ ids: await putDevices(sql, (await bodyOf(event, deviceEditsForm)).edits) }))
