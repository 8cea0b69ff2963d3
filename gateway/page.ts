import escapeHtml from 'escape-html'
import type { Compiled } from '../core/decision/compile.ts'
import type { Subject } from '../core/decision/subject.ts'
import { verdictAt } from '../core/decision/moment.ts'
import { periodTimelines, type PolicyPeriod } from '../core/decision/periods.ts'
import { verdictSpans } from '../core/decision/spans.ts'
import type { Destination } from '../core/destination/destination.ts'
import { bandShapes } from '../core/picture/band.ts'
import { dayAt, localText, startOfDay } from '../core/time/instant.ts'
import { DAY } from '../core/time/duration.ts'

/** How far it is looked for when something opens again. */
const AHEAD = 8 * DAY
/** The drawing of the day, in pixels. */
const [WIDTH, HEIGHT] = [480, 22]

/**
 * The page of a gateway (HTML) for whoever asked for a closed name at an instant (seconds): what is closed, by
 * which rule and its hours, until when, the day as a band, and the words of the administrator. `name` is as
 * the browser said it, so that it may be anything. `periods` are the policies that were in force, up to the
 * one that is: the day is drawn by them, and left out before the first.
 */
export function closedPage(
  compiled: Compiled,
  subject: Subject,
  mac: string,
  periods: readonly PolicyPeriod[],
  name: string,
  words: string,
  at: number,
): string {
  const { policy, zone } = compiled
  const destination: Destination = { host: name.toLowerCase(), address: null, protocol: 'tcp', port: 80 }
  const verdict = verdictAt(compiled, subject, at, destination)
  const day = dayAt(at, zone)
  const [from, until] = [startOfDay(day, zone), startOfDay(day + 1, zone)]
  const current = periods.at(-1)!
  // A clock that was set back reads a time before what is in force began.
  const then = current.from > at ? [{ ...current, from: at }] : periods
  const known = Math.max(from, then[0]!.from)
  const [line] = periodTimelines(
    then,
    [{ device: subject.device, macs: [mac], network: subject.network }],
    known,
    until,
  )
  const shapes = bandShapes(line!.segments, from, until, WIDTH, HEIGHT)
  const needle = Math.round(((at - from) / (until - from)) * WIDTH)
  const band = shapes
    .map(
      ({ path, dots }) =>
        `${path === '' ? '' : `<path d="${path}"/>`}${dots.map((x) => `<circle cx="${x}" cy="${HEIGHT - 3}" r="1.4"/>`).join('')}`,
    )
    .join('')
  const hour = (part: number) => localText(from + Math.round((until - from) * part), zone).slice(11, 16)
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>${verdict.effect === 'block' ? 'Blocked' : 'Allowed'} · ${escapeHtml(policy.place.name)}</title>
<style>
:root { color-scheme: light dark; --paper: #f2f4f1; --ink: #16252f; --soft: #4a5a63; --allow: #3d7ea6; --needle: #c2186b; --line: #7d8b90; }
@media (prefers-color-scheme: dark) { :root { --paper: #11191f; --ink: #e9eff0; --soft: #a9b7bd; --allow: #6aa9d0; --needle: #ff74b1; --line: #66757c; } }
body { margin: 0; background: var(--paper); color: var(--ink); font: 16px/1.5 system-ui, sans-serif; }
main { max-width: 520px; margin: 14vh auto 0; padding: 0 22px; }
h1 { font: 500 27px/1.2 system-ui, sans-serif; overflow-wrap: anywhere; margin: 0 0 12px; }
blockquote { margin: 20px 0; padding-left: 14px; border-left: 3px solid var(--line); font-size: 18px; white-space: pre-line; overflow-wrap: anywhere; }
svg { width: 100%; height: ${HEIGHT + 4}px; overflow: visible; border-bottom: 1px solid var(--ink); margin-top: 18px; display: block; }
svg path, svg circle { fill: var(--allow); } svg line { stroke: var(--needle); stroke-width: 2; vector-effect: non-scaling-stroke; }
.hours { display: flex; justify-content: space-between; } .soft { color: var(--soft); font-size: 13px; }
</style></head><body><main>
${answer(compiled, verdict.effect === 'block' ? verdict.decidedBy!.id : null, (until) => verdictSpans(compiled, subject, destination, at, until), name, at)}
${words.trim() === '' ? '' : `<blockquote>${escapeHtml(words.trim())}</blockquote>`}
<svg viewBox="0 0 ${WIDTH} ${HEIGHT}" preserveAspectRatio="none" role="img" aria-label="Your access today">${band}<line x1="${needle}" x2="${needle}" y1="-4" y2="${HEIGHT}"/></svg>
<div class="hours soft"><span>${hour(0)}</span><span>${hour(0.25)}</span><span>${hour(0.5)}</span><span>${hour(0.75)}</span><span>24:00</span></div>
<p class="soft">Your access today: full height is allowed, notched is partly blocked, dots are listed sites only, the bare line is blocked. Set by ${escapeHtml(policy.place.name)}.${known > from ? ` Not known before ${localText(known, zone).slice(11, 16)}.` : ''}</p>
</main></body></html>
`
}

function answer(
  { policy, zone }: Compiled,
  id: string | null,
  spans: (until: number) => ReturnType<typeof verdictSpans>,
  name: string,
  at: number,
): string {
  const shown = `<b>${escapeHtml(name)}</b>`
  if (id === null)
    return `<h1>${shown} is allowed for you now.</h1><p>It was blocked until a moment ago. Reload the page; if it still does not open, close and reopen the browser.</p>`
  const opens = spans(at + AHEAD).find(({ effect }) => effect === 'allow')
  const rule = policy.rules.find((one) => one.id === id)
  const schedules = rule && 'schedules' in rule.when ? rule.when : null
  const weeks = schedules
    ? schedules.schedules
        .map((one) => policy.schedules.find(({ id }) => id === one)!)
        .map((one) => `${escapeHtml(one.name)}: ${escapeHtml(one.week)}`)
    : []
  const why = !rule
    ? 'It is blocked for a while.'
    : `The rule is <b>${escapeHtml(rule.name)}</b>${weeks.length === 0 ? '' : `, active ${schedules!.outside ? 'outside' : 'during'} ${weeks.join('; ')}`}.`
  return `<h1>${shown} is blocked for you${opens ? ` until <b>${untilWords(opens.from, at, zone)}</b>` : ''}.</h1><p>${why}</p>`
}

/**
 * When something opens, as seen from an instant (both in seconds): the bare time today, else with its weekday
 * and, after a week, its date.
 */
function untilWords(until: number, at: number, zone: string): string {
  const local = localText(until, zone)
  const days = dayAt(until, zone) - dayAt(at, zone)
  const day = new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    weekday: 'long',
    ...(days > 6 && { day: 'numeric', month: 'long' }),
  }).format(until * 1000)
  if (days === 0) return local.slice(11, 16)
  if (days === 1) return `tomorrow ${local.slice(11, 16)}`
  return `${day} ${local.slice(11, 16)}`
}
