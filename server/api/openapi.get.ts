import { openApiDocument } from '../services/api-description.ts'
import { answering } from '../services/answering.ts'

export default answering(async () => openApiDocument())
