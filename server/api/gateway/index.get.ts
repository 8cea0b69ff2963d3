import { answering } from '../../services/answering.ts'

export default answering(async ({ link }) => link.view())
