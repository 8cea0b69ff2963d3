import { readHost } from '../../core/destination/host.ts'
import { flag, list, optional, record, show, text, type Fault, type Reader } from '../../core/policy/shape.ts'

/** The settings of a gateway, which it stores itself, beside the policy. */
export interface Settings {
  /** Whether the addresses that closed names have are closed too, for those to whom the names are. */
  readonly closedAddresses: boolean
  /** Whether a closed name leads to a page of the gateway that says so, and the words that stand on it. */
  readonly page: { readonly shown: boolean; readonly words: string }
  /** Whether look-ups are kept, for how many days (1 to 90), and of which devices, by id, they are not. */
  readonly lookups: { readonly kept: boolean; readonly days: number; readonly exempt: readonly string[] }
  /**
   * Whether it is counted who uses how much, from how many kB a minute one way on a minute is active (1 to
   * 100,000), and of which devices, by id, it is not.
   */
  readonly usage: { readonly kept: boolean; readonly kilobytes: number; readonly exempt: readonly string[] }
  /**
   * Outside names that may lead to addresses of this network, with all that lie under them; of others, such
   * an answer is refused.
   */
  readonly localNames: readonly string[]
}

/** The settings before anybody changes them. */
export const FIRST_SETTINGS: Settings = {
  closedAddresses: false,
  page: { shown: false, words: '' },
  lookups: { kept: true, days: 14, exempt: [] },
  usage: { kept: true, kilobytes: 20, exempt: [] },
  localNames: [],
}
/** The most characters of the words on the page. */
export const WORDS_LENGTH = 500

/** A whole number of something, from `least` to `most`. */
const whole =
  (what: string, least: number, most: number): Reader<number> =>
  (value, path, faults) => {
    if (Number.isInteger(value) && Number(value) >= least && Number(value) <= most) return Number(value)
    faults.push({
      path,
      message: `is ${show(value)}: give a whole number of ${what} from ${least} to ${most}`,
    })
    return least
  }
const any = text(
  (value) => value,
  () => '',
)

/** Reads settings whole; what is wrong goes into `faults`. */
export const settingsReader: Reader<Settings> = record({
  closedAddresses: flag(),
  page: record({
    shown: flag(),
    words: text(
      (value) => (value.trim().length <= WORDS_LENGTH ? value.trim() : null),
      () => `has more than ${WORDS_LENGTH} characters: shorten it`,
    ),
  }),
  lookups: record({ kept: flag(true), days: whole('days', 1, 90), exempt: list(any) }),
  // Settings of before it was counted have none of it.
  usage: optional(
    record({ kept: flag(true), kilobytes: whole('kB', 1, 100_000), exempt: list(any) }),
    () => FIRST_SETTINGS.usage,
  ),
  localNames: list(text(readHost, () => 'is not a valid host name: write it like vault.example')),
})

/** Reads settings; every fault where something is wrong. */
export function readSettings(
  value: unknown,
): { readonly settings: Settings } | { readonly faults: readonly Fault[] } {
  const faults: Fault[] = []
  const settings = settingsReader(value, '', faults)
  return faults.length > 0 ? { faults } : { settings }
}
