import escapeHtml from 'escape-html'
import { allowancesAt } from '../../core/allowance/outlook.ts'
import { momentsAt, type StateAt } from '../../core/decision/moment.ts'
import type { State } from '../../core/decision/standing.ts'
import { traceAt, type TraceStep } from '../../core/decision/trace.ts'
import { leftOfWords } from '../../core/words/allowance.ts'
import { DAY, MINUTE } from '../../core/time/duration.ts'
import { lengthWords } from '../../core/words/length.ts'
import { askForm, isAsking } from './ask.ts'
import { ruleWords, todayBand } from './closed-page.ts'
import { dayWords, layout, untilWords } from './layout.ts'
import { dayBand, type Viewer } from './viewer.ts'

/** Of how many days after today the access is shown. */
const DAYS = 6

const STATES: Readonly<Record<State, string>> = {
  'open': 'The internet is allowed for you',
  'filtered': 'Some sites or apps are blocked for you',
  'listed-only': 'Only listed sites open for you',
  'cut-off': 'The internet is blocked for you',
}

/**
 * The page (HTML) on which a device sees its own access: what is blocked now and until when, today and the next
 * days as bands, and how to ask for more time. It shows nothing of other devices.
 */
export function accessPage(viewer: Viewer, words: string): string {
  const { compiled, subject, at, mac, clock } = viewer
  const { policy, zone } = compiled
  const [moment] = momentsAt(compiled, [subject], at)
  const until = moment!.until === null ? '' : ` until <b>${untilWords(moment!.until, at, clock)}</b>`
  const device = policy.devices.find(({ id }) => id === subject.device)
  const who = device
    ? `This is <b>${escapeHtml(device.name)}</b>.`
    : `This device is not known by name (${mac}).`
  const week = Array.from({ length: DAYS }, (_, index) => {
    const { svg, from } = dayBand(viewer, index + 1, `Your access ${index + 1} days from now`)
    return `<span class="soft">${dayWords(from, zone, false, 'short')}</span>${svg}`
  })
  const today = todayBand(viewer)
  return layout(
    'My access',
    policy.place.name,
    `${countdown(viewer, moment!)}<h1>${STATES[moment!.state]}${until}.</h1>
<p class="soft">${who}</p>
${words.trim() === '' ? '' : `<blockquote>${escapeHtml(words.trim())}</blockquote>`}
${allowances(viewer)}
${askForm(viewer)}
<h2>Today</h2>
${today.band}
<h2>The next days</h2>
<div class="week">${week.join('')}</div>
${rulesNow(viewer)}
${today.legend}`,
    isAsking(viewer),
  )
}

/** The longest time, in seconds, whose minutes the page counts down. */
const COUNTED_SECONDS = 90 * MINUTE

const NEXT: Readonly<Record<State, string>> = {
  'open': 'everything is allowed',
  'filtered': 'only some sites or apps are blocked',
  'listed-only': 'only listed sites open',
  'cut-off': 'the internet is blocked',
}

/**
 * Counts down to the next change of access, and says it (HTML). The minutes pass by a style sheet alone, since the
 * page has no script.
 */
function countdown({ compiled, subject, at, clock }: Viewer, { state, until }: StateAt): string {
  if (until === null || until - at > DAY) return ''
  const left = until - at
  const minutes = Math.ceil(left / MINUTE)
  const words = lengthWords(minutes * MINUTE)
  const figure =
    left > COUNTED_SECONDS
      ? `<b>${words}</b>`
      : `<b class="ticks" style="--minutes:${minutes};--seconds:${left}s">${words}</b>`
  const [next] = momentsAt(compiled, [subject], until)
  const nextWords =
    state === 'open' && next!.state === 'filtered' ? 'some sites or apps are blocked' : NEXT[next!.state]
  return `<p class="left soft">${figure} until ${nextWords}, at ${untilWords(until, at, clock)}</p>`
}

/** Returns the allowances that the viewer has left (HTML). */
function allowances({ compiled, subject, at, known, clock }: Viewer): string {
  const lines = allowancesAt(compiled.policy, subject, known, at).map((one) => {
    const rule = compiled.policy.rules.find(({ id }) => id === one.rule)!
    const next = one.left === 0 ? `, again from ${untilWords(one.until, at, clock)}` : ''
    return `<li><b>${escapeHtml(rule.name)}</b>: ${leftOfWords(one)}${next}.</li>`
  })
  return lines.length === 0 ? '' : `<h2>What you may use</h2><ul>${lines.join('')}</ul>`
}

/** The rules that block something of the viewer's now, and those that come next (HTML). */
function rulesNow({ compiled, subject, at, clock }: Viewer): string {
  if (subject.device !== null && compiled.shielded.has(subject.device)) return ''
  const steps = traceAt(compiled, subject, at).filter(({ effect }) => effect === 'block')
  const now = steps.filter(({ part }) => part === 'counts' || part === 'decides')
  const next = steps.filter((step) => step.part === 'rests' && step.next !== null)
  const line = (step: TraceStep) => {
    const rule = compiled.policy.rules.find(({ id }) => id === step.id)
    const what = rule ? ruleWords(compiled.policy, rule) : 'Blocked for a while'
    const from = step.next === null ? '' : ` From ${untilWords(step.next, at, clock)}.`
    return `<li>${what}.${from}</li>`
  }
  const list = (title: string, lines: readonly TraceStep[]) =>
    lines.length === 0 ? '' : `<h2>${title}</h2><ul>${lines.map(line).join('')}</ul>`
  return list('What blocks now', now) + list('What blocks later', next)
}
