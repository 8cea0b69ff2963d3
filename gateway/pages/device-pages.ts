import { ASK_MINUTES, ASK_WORDS_LENGTH } from '../../protocol/request.ts'
import type { AskFault, RequestHolder } from './requests.ts'
import { accessPage } from './access-page.ts'
import { notTaken, PATHS } from './ask.ts'
import { closedPage } from './closed-page.ts'
import { layout } from './layout.ts'
import type { Viewer } from './viewer.ts'

/**
 * The name under which every device finds its own access; home.arpa is for the names of a home (RFC 8375).
 */
export const ACCESS_NAME = 'access.home.arpa'

/**
 * The address (RFC 5737) that a closed name has where it leads to the gateway's page: nobody's, so that
 * nothing else is taken from anyone.
 */
export const PAGE_ADDRESS = '192.0.2.80'

/**
 * The request of a device for a page: the name is as the browser said it, a form only where one was
 * sent.
 */
export interface PageRequest {
  readonly name: string
  readonly path: string
  /** Whether the language of the browser says hours up to twelve. */
  readonly twelveHours: boolean
  readonly form: URLSearchParams | null
}

/** The answer to it: a page, or a redirect. */
export type PageAnswer =
  { readonly status: number; readonly html: string } | { readonly status: 303; readonly location: string }

/** The pages that the gateway shows to devices, each by its MAC address. */
export interface DevicePages {
  /** @throws FileFault where a request cannot be stored */
  answer(mac: string, request: PageRequest): Promise<PageAnswer>
}

/** The surroundings of the pages. */
export interface PageParts {
  readonly requests: RequestHolder
  /** Returns the viewer by a MAC address; `null` before the first policy. */
  readonly viewerOf: (mac: string) => Omit<Viewer, 'clock'> | null
  /** The words of the administrator. */
  readonly words: () => string
}

/** Under which names every device finds its access. */
const OWN_NAMES: readonly string[] = [ACCESS_NAME, PAGE_ADDRESS]

const REASONS: Readonly<Record<AskFault, string>> = {
  'waiting': 'You have asked already, and nobody has answered yet.',
  'too-often': 'You have asked often enough for a day. Ask in person.',
  'too-many': 'Too many requests of others wait. Try again later, or ask in person.',
}

/** Shows devices what is blocked, and takes their requests. */
export function devicePages({ requests, viewerOf, words }: PageParts): DevicePages {
  async function ask(viewer: Viewer, form: URLSearchParams): Promise<PageAnswer> {
    const minutes = ASK_MINUTES.find((one) => String(one) === form.get('minutes'))
    const text = (form.get('words') ?? '').replaceAll(/\p{Cc}+/gu, ' ').trim()
    let reason: string | null
    if (minutes === undefined) reason = 'Choose one of the lengths of the list.'
    else if (text.length > ASK_WORDS_LENGTH) reason = `Write at most ${ASK_WORDS_LENGTH} characters.`
    else {
      const fault = await requests.ask({ mac: viewer.mac, minutes, words: text })
      reason = fault && REASONS[fault]
    }
    if (reason === null) return { status: 303, location: PATHS.access }
    return { status: 409, html: layout('Not sent', viewer.compiled.policy.place.name, notTaken(reason)) }
  }

  return {
    async answer(mac, { name, path, form, twelveHours }) {
      const known = viewerOf(mac)
      if (known === null) return { status: 503, html: NOT_YET }
      const viewer: Viewer = { ...known, clock: { zone: known.compiled.zone, twelveHours } }
      if (form !== null && path === PATHS.ask) return ask(viewer, form)
      if (path === PATHS.access || OWN_NAMES.includes(name.toLowerCase()))
        return { status: 200, html: accessPage(viewer, words()) }
      return { status: 403, html: closedPage(viewer, name, words()) }
    },
  }
}

const NOT_YET = layout(
  'Not yet',
  'Kairostat',
  '<h1>Nothing is blocked yet</h1><p>No rules were applied so far.</p>',
)

/** For a device that is not known by its address yet. */
export const NOBODY = layout(
  'Not known',
  'Kairostat',
  '<h1>It is not known which device this is</h1><p>Try again in a moment.</p>',
)
