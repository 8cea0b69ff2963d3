import type { SavedActAnswer } from '../../protocol/answers.ts'
import type { Effect } from '../../core/policy/types.ts'
import type { SpokenSpan } from '../../core/time/spoken-span.ts'

/**
 * The act of a suggestion. An override has its span, in seconds; a look's `at` is an instant, `null` = now.
 */
export type Act =
  | { readonly kind: 'go'; readonly to: string }
  | { readonly kind: 'look'; readonly at: number | null; readonly to: string | null }
  | ({
      readonly kind: 'override'
      readonly effect: Effect
      readonly who: {
        readonly devices: readonly string[]
        readonly groups: readonly string[]
        readonly networks: readonly string[]
        readonly macs: readonly string[]
      }
      readonly said: string
    } & SpokenSpan)
  | { readonly kind: 'saved'; readonly act: SavedActAnswer }
  | { readonly kind: 'do'; readonly what: 'undo' | 'redo' | 'theme' | 'sign-out' | 'now' | 'keys' }

/** A line of the palette: what it is called, what sort of thing it is, and what choosing it does. */
export interface Suggestion {
  readonly key: string
  readonly label: string
  readonly sort: string
  readonly act: Act
}

/**
 * The possible subjects of an override: the name of each, with other words for it, by its id or MAC
 * address.
 */
export interface Whom {
  readonly id: string
  readonly name: string
  readonly alias?: string
  readonly kind: 'device' | 'group' | 'network' | 'unknown'
}
