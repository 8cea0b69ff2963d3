import { shiftClock } from './clock.mjs'

// Node runs this first in tests as at another time (`--import`).
shiftClock(Number(process.env.KAIROSTAT_TEST_AHEAD_MS))
