import escapeHtml from 'escape-html'
import { dayAt, localText } from '../../core/time/instant.ts'
import { twelveHourWords } from '../../core/words/clock.ts'

/** The seconds after which a page that waits for an answer is loaded again. */
const ANEW = 4

const STYLE = `
:root { color-scheme: light dark; --paper: #f2f4f1; --leaf: #fff; --ink: #16252f; --soft: #4a5a63; --allow: #3d7ea6; --needle: #c2186b; --line: #7d8b90; }
@media (prefers-color-scheme: dark) { :root { --paper: #11191f; --leaf: #1a252c; --ink: #e9eff0; --soft: #a9b7bd; --allow: #6aa9d0; --needle: #ff74b1; --line: #66757c; } }
body { margin: 0; background: var(--paper); color: var(--ink); font: 16px/1.5 system-ui, sans-serif; }
main { max-width: 520px; margin: 7vh auto; padding: 0 22px; }
h1 { font: 500 27px/1.2 system-ui, sans-serif; overflow-wrap: anywhere; margin: 0 0 12px; }
h2 { font: 600 17px/1.3 system-ui, sans-serif; margin: 28px 0 8px; }
p, li { overflow-wrap: anywhere; }
@property --minutes { syntax: '<integer>'; inherits: true; initial-value: 0; }
@keyframes passing { to { --minutes: 0; } }
.left b { display: block; font: 600 44px/1.1 system-ui, sans-serif; color: var(--ink); }
.left .ticks { font-size: 0; animation: passing var(--seconds) linear forwards; }
.ticks::before { font-size: 44px; counter-reset: left var(--minutes); content: counter(left) ' min'; }
ul { padding-left: 20px; margin: 8px 0; }
a { color: inherit; }
blockquote { margin: 20px 0; padding-left: 14px; border-left: 3px solid var(--line); font-size: 18px; white-space: pre-line; overflow-wrap: anywhere; }
svg { width: 100%; height: 26px; overflow: visible; border-bottom: 1px solid var(--ink); display: block; }
svg path, svg circle { fill: var(--allow); }
svg path.may { fill: var(--paper); opacity: 0.65; }
svg line { stroke: var(--needle); stroke-width: 2; vector-effect: non-scaling-stroke; }
.hours { display: flex; justify-content: space-between; }
.soft { color: var(--soft); font-size: 14px; }
.week { display: grid; grid-template-columns: 44px 1fr; gap: 6px 8px; align-items: end; }
form, .said { background: var(--leaf); border: 1px solid var(--line); border-radius: 10px; padding: 14px 16px; margin: 22px 0; }
form h2, .said h2 { margin-top: 0; }
label { display: block; margin: 0 0 12px; }
select, input { display: block; width: 100%; box-sizing: border-box; font: inherit; padding: 10px; min-height: 44px; border: 1px solid var(--line); border-radius: 8px; background: var(--paper); color: var(--ink); }
button { font: inherit; font-weight: 600; min-height: 44px; padding: 8px 20px; border: 0; border-radius: 8px; background: var(--ink); color: var(--paper); }
`

/** The time zone of the place, and whether the reader of the page says hours up to twelve. */
export interface ReadersClock {
  readonly zone: string
  readonly twelveHours: boolean
}

/** A page of the gateway (HTML); with `waits` the browser asks for it anew, again and again. */
export function layout(title: string, place: string, body: string, waits = false): string {
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">${waits ? `<meta http-equiv="refresh" content="${ANEW}">` : ''}<title>${title} · ${escapeHtml(place)}</title>
<style>${STYLE}</style></head><body><main>
${body}
</main></body></html>
`
}

/**
 * Returns the end of a block in words, as seen from an instant (both in seconds): the bare time today, else
 * with its weekday and, after a week, its date.
 */
export function untilWords(until: number, at: number, clock: ReadersClock): string {
  const { zone } = clock
  const time = clockWords(until, clock)
  const days = dayAt(until, zone) - dayAt(at, zone)
  if (days === 0) return time
  if (days === 1) return `tomorrow ${time}`
  return `${dayWords(until, zone, days > 6)} ${time}`
}

/** The wall clock at an instant (seconds), as its reader says it: "21:30", or "9:30 pm". */
export function clockWords(at: number, { zone, twelveHours }: ReadersClock): string {
  const time = localText(at, zone).slice(11, 16)
  return twelveHours ? twelveHourWords(time) : time
}

/** The weekday of an instant (seconds), with its date where asked. */
export function dayWords(
  at: number,
  zone: string,
  isDated: boolean,
  weekday: 'long' | 'short' = 'long',
): string {
  return new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    weekday,
    ...(isDated && { day: 'numeric', month: 'long' }),
  }).format(at * 1000)
}
