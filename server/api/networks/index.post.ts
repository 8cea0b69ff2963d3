import { networkForm } from '../../../protocol/forms.ts'
import { answering, bodyOf } from '../../services/answering.ts'
import { putNetwork } from '../../services/draft.ts'

export default answering(async ({ sql, event }) => putNetwork(sql, null, await bodyOf(event, networkForm)))
