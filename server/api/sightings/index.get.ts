import type { SightingAnswer } from '../../../shared/answers.ts'
import { answering } from '../../services/answering.ts'
import { makerOf } from '../../services/maker.ts'
import { sightings } from '../../sql/sighting.ts'

export default answering(async ({ sql }): Promise<SightingAnswer[]> =>
  Promise.all((await sightings(sql)).map(async seen => ({ ...seen, maker: await makerOf(seen.mac) }))))
