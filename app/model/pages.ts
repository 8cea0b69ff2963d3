import { shellText } from '../text/shell.ts'
/** A page of the application, and how many things wait there. */
export interface PageLink {
  readonly to: string
  readonly name: string
  readonly count: number
}

/** Every page, in the order of the navigation. */
export const PAGES: readonly (readonly [to: string, name: string])[] = [
  ['/', shellText.board],
  ['/devices', shellText.devices],
  ['/schedules', shellText.schedules],
  ['/sites', shellText.sitesAndApps],
  ['/rules', shellText.rules],
  ['/activity', shellText.activity],
  ['/history', shellText.history],
  ['/settings', shellText.settings],
]

/** Whether an address is that of a page, or of an entry of it. */
export const isOn = (page: string, path: string) =>
  path === page || (page !== '/' && path.startsWith(`${page}/`))

/** Pages on which time is not the matter: the ribbon is folded there. */
export const TIMELESS: readonly string[] = ['/history', '/settings', '/help']

/** Addresses of earlier versions, and where they lead now. */
export const MOVED: Readonly<Record<string, string>> = {
  '/hours': '/schedules',
  '/lists': '/sites',
  '/proof': '/activity',
  '/revisions': '/history',
  '/place': '/settings',
}
