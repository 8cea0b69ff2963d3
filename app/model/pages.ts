import type { Need } from '../../protocol/roles.ts'
import { shellText } from '../text/shell.ts'

/** A page of the application, and how many things wait there. */
export interface PageLink {
  readonly to: string
  readonly name: string
  readonly count: number
}

/** Every page, in the order of the navigation, and what one must be allowed to do to open it. */
export const PAGES: readonly (readonly [to: string, name: string, need: Need])[] = [
  ['/', shellText.board, 'see'],
  ['/devices', shellText.devices, 'edit'],
  ['/schedules', shellText.schedules, 'edit'],
  ['/sites', shellText.sitesAndApps, 'edit'],
  ['/rules', shellText.rules, 'edit'],
  ['/activity', shellText.activity, 'edit'],
  ['/history', shellText.history, 'edit'],
  ['/settings', shellText.settings, 'see'],
]

/** Returns the right that one needs to open an address of the application. */
export function needOfPage(path: string): Need {
  if (path === '/review') return 'edit'
  if (path.startsWith('/history/log')) return 'administer'
  return PAGES.find(([page]) => isOn(page, path.replace(/[?#].*$/, '')))?.[2] ?? 'see'
}

/** Whether an address is that of a page, or of an entry of it. */
export const isOn = (page: string, path: string) =>
  path === page || (page !== '/' && path.startsWith(`${page}/`))

const TIMELESS = ['/history', '/settings', '/help', '/places']

/** Whether time is not the matter of a page: the ribbon is folded there. */
export const isTimeless = (path: string) => TIMELESS.some((page) => isOn(page, path))

/** Addresses of earlier versions, and where they lead now. */
export const MOVED: Readonly<Record<string, string>> = {
  '/hours': '/schedules',
  '/lists': '/sites',
  '/proof': '/activity',
  '/revisions': '/history',
  '/place': '/settings/place',
}
