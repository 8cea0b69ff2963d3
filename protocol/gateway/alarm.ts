/**
 * A trouble that a gateway notices by itself, and its begin: its clock was set (`about` = by how many seconds),
 * somebody took its rules away and it put them back, something forwards packets past its rules (`about` =
 * which), the
 * router that it drives cannot be reached (`unreachable`; `about` = its address), an upstream does not answer
 * look-ups (`about` = its address), a file of its state folder could not be read (`state`) or written
 * (`disk`; `about` = the file and why), the page that says what is blocked cannot be shown (`page`; `about` =
 * why), more unknown devices send than can be told apart (`flood`; `about` = the port or interface behind
 * which most are), the router does not know the MAC address of the machine that drives it (`controller`;
 * `about` = its address), another machine drives the router (`other-driver`; `about` = its name), somebody
 * sends look-ups past the router (`forged`; `about` = from which address), or the clock is before a time that
 * was already (`clock-past`; `about` = that time).
 */
export interface Trouble {
  readonly kind:
    | 'clock-set'
    | 'put-back'
    | 'passed-by'
    | 'unreachable'
    | 'upstream'
    | 'state'
    | 'disk'
    | 'page'
    | 'flood'
    | 'controller'
    | 'other-driver'
    | 'forged'
    | 'clock-past'
  readonly about: string
  readonly since: string
}

/**
 * A trouble; or what was expected held against what was counted: packets of a device (`mac`) that is cut off
 * by `because` get through (`about` = how many at the last look), a rule that closes everything has never
 * dropped
 * any of what was sent under it (`about` = how much), or a device under a rule for names sends without
 * looking up any (`about` = how much).
 */
export type Alarm =
  | (Trouble & { readonly mac: null; readonly because: null })
  | {
      readonly kind: 'passes' | 'never-dropped' | 'unasked'
      readonly about: string
      readonly since: string
      readonly mac: string | null
      readonly because: string
    }

/** By what an alarm is known again: what it is about may be a count that grows. */
export function alarmKey({ kind, mac, because, since }: Alarm): string {
  return [kind, mac, because, since].join(' ')
}
