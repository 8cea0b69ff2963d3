import { appForm } from '../../../protocol/forms.ts'
import { answering, bodyOf } from '../../services/answering.ts'
import { putApp } from '../../services/draft.ts'

export default answering(async ({ sql, event }) => putApp(sql, null, await bodyOf(event, appForm)))
