import { answering } from '../services/answering.ts'
import { sightings } from '../sql/sighting.ts'

export default answering(({ sql }) => sightings(sql))
