import escapeHtml from 'escape-html'
import { allowancesAt } from '../../core/allowance/outlook.ts'
import { momentsAt } from '../../core/decision/moment.ts'
import { HOUR } from '../../core/time/duration.ts'
import { readInstant } from '../../core/time/instant.ts'
import { ASK_MINUTES, ASK_WORDS_LENGTH, isWaiting } from '../../protocol/request.ts'
import { untilWords } from './layout.ts'
import type { Viewer } from './viewer.ts'

/** The path to which a form is sent, and the one that shows the device's own access, under any name. */
export const PATHS = { ask: '/kairostat/ask', access: '/kairostat/access' } as const
/**
 * The seconds for which a page shows that a request was declined, or that nobody answered.
 */
const SHOWN = { declined: HOUR, unanswered: 3 * HOUR }
const CHOSEN = 30

/** Whether a request of the viewer waits for an answer. */
export function isAsking({ request, at }: Viewer): boolean {
  return request !== null && isWaiting(request, at)
}

/**
 * Returns the state of the viewer's request, and a form to ask for more time where nothing restricts asking
 * (HTML).
 */
export function askForm(viewer: Viewer): string {
  const said = requestWords(viewer)
  const status = said === '' ? '' : `<div class="said" role="status">${said}</div>`
  return isAsking(viewer) || !isRestricted(viewer) ? status : `${status}${FORM}`
}

/** Somebody to whom nothing is ever blocked has nothing to ask for. */
function isRestricted({ compiled, subject, at }: Viewer): boolean {
  if (allowancesAt(compiled.policy, subject, null, at).length > 0) return true
  const [moment] = momentsAt(compiled, [subject], at)
  return moment!.state !== 'open' || moment!.until !== null
}

function requestWords({ request, at, clock }: Viewer): string {
  if (!request) return ''
  const age = at - readInstant(request.at)!
  const asked = `You asked for ${request.minutes} minutes at ${untilWords(readInstant(request.at)!, at, clock)}.`
  if (isWaiting(request, at))
    return `<h2>Asked, not answered yet</h2><p>${asked} This page shows the answer as soon as there is one.</p>`
  const { answer } = request
  if (answer === null) return age < SHOWN.unanswered ? `<p>${asked} Nobody answered.</p>` : ''
  if (!answer.granted) return age < SHOWN.declined ? `<h2>Declined</h2><p>${asked} The answer is no.</p>` : ''
  const until = readInstant(answer.until!)!
  if (until <= at) return ''
  return `<h2>Granted until ${untilWords(until, at, clock)}</h2><p>${asked}</p>`
}

const choices = ASK_MINUTES.map(
  (minutes) =>
    `<option value="${minutes}"${minutes === CHOSEN ? ' selected' : ''}>${minutes} minutes</option>`,
)
const FORM = `<form method="post" action="${PATHS.ask}">
<h2>Ask for more time</h2>
<label>How long<select name="minutes">${choices.join('')}</select></label>
<label>What for (you can leave this empty)<input name="words" maxlength="${ASK_WORDS_LENGTH}" autocomplete="off"></label>
<button type="submit">Ask</button>
</form>`

/** Says why a request was not taken (HTML). */
export function notTaken(reason: string): string {
  return `<h1>Your request was not sent</h1><p>${escapeHtml(reason)}</p><p><a href="${PATHS.access}">Back to your access</a></p>`
}
