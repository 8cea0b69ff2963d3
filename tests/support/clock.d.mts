export function shiftClock(aheadMs: number): void
