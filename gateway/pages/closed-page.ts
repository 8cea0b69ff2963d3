import escapeHtml from 'escape-html'
import type { Compiled } from '../../core/decision/compile.ts'
import { verdictAt } from '../../core/decision/moment.ts'
import { verdictSpans } from '../../core/decision/spans.ts'
import type { Destination } from '../../core/destination/destination.ts'
import { DAY } from '../../core/time/duration.ts'
import { allowanceWords } from '../../core/words/rule.ts'
import { askForm, isAsking } from './ask.ts'
import { clockWords, layout, untilWords } from './layout.ts'
import { dayBand, type Viewer } from './viewer.ts'

/** The time ahead in which the end of a block is looked for. */
const LOOK_AHEAD_SECONDS = 8 * DAY

/**
 * The page (HTML) for whoever asked for a blocked name: what is blocked, by which rule and its hours, until
 * when, the day as a band, how to ask for more time, and the words of the administrator. `name` is as the
 * browser said it, so that it may be anything. The day is drawn by the policies of its time, and left out
 * before the first.
 */
export function closedPage(viewer: Viewer, name: string, words: string): string {
  const { compiled, subject, at, clock } = viewer
  const { policy } = compiled
  const destination: Destination = { host: name.toLowerCase(), address: null, protocol: 'tcp', port: 80 }
  const { effect, decidedBy } = verdictAt(compiled, subject, at, destination)
  const isBlocked = effect === 'block'
  const opens = isBlocked
    ? verdictSpans(compiled, subject, destination, at, at + LOOK_AHEAD_SECONDS).find(
        (span) => span.effect === 'allow',
      )
    : undefined
  const shown = `<b>${escapeHtml(name)}</b>`
  const answer = isBlocked
    ? `<h1>${shown} is blocked for you${opens ? ` until <b>${untilWords(opens.from, at, clock)}</b>` : ''}.</h1><p>${whyBlocked(compiled, decidedBy!.id)}</p>`
    : `<h1>${shown} is allowed for you now.</h1><p>It was blocked until a moment ago. Reload the page; if it still does not open, close and reopen the browser.</p>`
  const today = todayBand(viewer)
  return layout(
    isBlocked ? 'Blocked' : 'Allowed',
    policy.place.name,
    `${answer}
${words.trim() === '' ? '' : `<blockquote>${escapeHtml(words.trim())}</blockquote>`}
${askForm(viewer)}
${today.band}
${today.legend}`,
    isAsking(viewer),
  )
}

/** The day as a band with its hours, and what its heights mean (HTML). */
export function todayBand(viewer: Viewer): { band: string; legend: string } {
  const { compiled, clock } = viewer
  const { svg, from, until, knownFrom, mayBe } = dayBand(viewer, 0, 'Your access today')
  const pale = mayBe ? ', a pale upper half may be blocked once an allowance is used up' : ''
  const hour = (part: number) => clockWords(from + Math.round((until - from) * part), clock)
  const band = `${svg}
<div class="hours soft"><span>${hour(0)}</span><span>${hour(0.25)}</span><span>${hour(0.5)}</span><span>${hour(0.75)}</span><span>${clock.twelveHours ? '12 am' : '24:00'}</span></div>`
  const legend = `<p class="soft">Your access today: full height is allowed, notched is partly blocked, dots are listed sites only, the bare line is blocked${pale}. Set by ${escapeHtml(compiled.policy.place.name)}.${knownFrom === null ? '' : ` Not known before ${clockWords(knownFrom, clock)}.`}</p>`
  return { band, legend }
}

/** By which rule something is blocked, with its hours. */
function whyBlocked({ policy }: Compiled, id: string): string {
  const rule = policy.rules.find((one) => one.id === id)
  return rule ? `The rule is ${ruleWords(policy, rule)}.` : 'It is blocked for a while.'
}

/** A rule's name and hours (HTML). */
export function ruleWords(
  policy: Compiled['policy'],
  { name, when, after }: Compiled['policy']['rules'][number],
): string {
  const schedules = 'schedules' in when ? when : null
  const weeks = (schedules?.schedules ?? []).map((id) => {
    const schedule = policy.schedules.find((one) => one.id === id)!
    return `${escapeHtml(schedule.name)}: ${escapeHtml(schedule.week)}`
  })
  const hours =
    weeks.length === 0 ? '' : `, active ${schedules!.outside ? 'outside' : 'during'} ${weeks.join('; ')}`
  const used = after === null ? '' : `, after ${allowanceWords(after)}`
  return `<b>${escapeHtml(name)}</b>${hours}${used}`
}
