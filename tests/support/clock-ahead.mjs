import { shiftClock } from './clock.mjs'

// What node runs first in tests as at another time (`--import`).
shiftClock(Number(process.env.KAIROSTAT_TEST_AHEAD_MS))
