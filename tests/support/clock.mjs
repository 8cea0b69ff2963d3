/**
 * Has `Date` of a program or a page be ahead of the machine's clock by so many milliseconds; its monotonic
 * clock and timers go on as they do. Once only, however often it is called.
 */
export function shiftClock(aheadMs) {
  if (globalThis.hasShiftedClock) return
  globalThis.hasShiftedClock = true
  const now = Date.now.bind(Date)
  globalThis.Date = new Proxy(Date, {
    construct: (target, words, own) =>
      Reflect.construct(target, words.length === 0 ? [now() + aheadMs] : words, own),
    apply: (target) => new target(now() + aheadMs).toString(),
    get: (target, name, own) => (name === 'now' ? () => now() + aheadMs : Reflect.get(target, name, own)),
  })
}
