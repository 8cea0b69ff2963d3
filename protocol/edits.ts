import type { WifiAccess } from '../core/export/wifi.ts'
import { DAY } from '../core/time/duration.ts'
import { list, oneOf, optional, record, show, type Reader } from '../core/policy/shape.ts'
import {
  EFFECTS,
  type Amount,
  type App,
  type Device,
  type Effect,
  type OverrideWho,
  type Rule,
  type What,
} from '../core/policy/types.ts'
import {
  id,
  amount,
  nullable,
  deviceForm,
  label,
  appForm,
  ruleForm,
  note,
  overrideWhat,
  overrideWho,
  instant,
} from '../core/policy/parts.ts'

const seconds: Reader<number> = (value, path, faults) => {
  if (Number.isInteger(value) && Number(value) > 0 && Number(value) <= 400 * DAY) return Number(value)
  faults.push({ path, message: `is ${show(value)}: give a whole number of seconds, up to 400 days` })
  return 1
}

/**
 * A device to add (`id` null) or to replace; `groups` are all that it is then in, by id or by name, one that
 * is not there being made (`null` = as before); `person` is the one whose it is then, likewise (missing = as
 * before, `null` = nobody's); `like` is a device that the same rules apply to then: it is in the same groups,
 * people left aside, and rules name it beside that one; with a `mark` only while it is as that says.
 */
export interface DeviceEdit {
  readonly id: string | null
  readonly device: Omit<Device, 'id'>
  readonly groups: readonly string[] | null
  readonly person?: string | null | undefined
  readonly like?: string | undefined
  readonly mark: string | null
}

/** A device that goes, and the one that rules and groups name in its place (`null` = none). */
export interface DeviceGoing {
  readonly id: string
  readonly instead: string | null
}

/** Edits of several devices, and those that go. */
export interface DeviceEdits {
  readonly edits: readonly DeviceEdit[]
  readonly takeOut: readonly DeviceGoing[]
}

export const deviceEdits: Reader<DeviceEdits> = record({
  edits: list(
    record<DeviceEdit>({
      id: nullable(id),
      device: deviceForm,
      groups: nullable(list(label)),
      person: optional<string | null | undefined>(nullable(label), () => undefined),
      like: optional<string | undefined>(id, () => undefined),
      mark: nullable(id),
    }),
  ),
  takeOut: list(record<DeviceGoing>({ id, instead: nullable(id) })),
})

/** Apps to add (`id` null) or to replace, with a `mark` only while one is as that says. */
export interface AppEdits {
  readonly edits: readonly {
    readonly id: string | null
    readonly app: Omit<App, 'id'>
    readonly mark: string | null
  }[]
}

export const appEdits: Reader<AppEdits> = record({
  edits: list(record<AppEdits['edits'][number]>({ id: nullable(id), app: appForm, mark: nullable(id) })),
})

/**
 * Rules to add (`id` null: behind the one before it in this list, the first at the end) or to replace, with a
 * `mark` only while one is as that says; and the ids of those that go.
 */
export interface RuleEdits {
  readonly edits: readonly {
    readonly id: string | null
    readonly rule: Omit<Rule, 'id'>
    readonly mark: string | null
  }[]
  readonly takeOut: readonly string[]
}

export const ruleEdits: Reader<RuleEdits> = record({
  edits: list(record<RuleEdits['edits'][number]>({ id: nullable(id), rule: ruleForm, mark: nullable(id) })),
  takeOut: list(id),
})

/** An override as it is asked for: `from` null = from now on; `lasts` in seconds in the place of an end. */
export interface OverrideWishForm {
  readonly effect: Effect
  readonly who: OverrideWho
  readonly what: What | null
  readonly more: Amount | null
  readonly note: string
  readonly from: string | null
  readonly until: string | null
  readonly lasts: number | null
}

export const overrideWish: Reader<OverrideWishForm> = record({
  effect: oneOf(EFFECTS),
  who: overrideWho,
  what: overrideWhat,
  more: nullable(amount),
  note,
  from: nullable(instant),
  until: nullable(instant),
  lasts: nullable(seconds),
})

/** An act under a name of one's own: an override for so many seconds, from whenever it is done. */
export interface SavedActForm extends Pick<OverrideWishForm, 'effect' | 'who' | 'what'> {
  readonly name: string
  readonly lasts: number
}
export const savedActReader: Reader<SavedActForm> = record({
  name: label,
  effect: oneOf(EFFECTS),
  who: overrideWho,
  what: overrideWhat,
  lasts: seconds,
})

/**
 * A guest pass as it is asked for: for the next unknown device in a network (`null` = in any), which is then
 * allowed for `lasts` seconds; `wifi` is how one joins that network, `null` = as before.
 */
export interface GuestPassForm {
  readonly network: string | null
  readonly lasts: number
  readonly wifi: WifiAccess | null
}

/** The longest name and key of a Wi-Fi (IEEE 802.11), in bytes of UTF-8. */
const WIFI_NAME = 32
const WIFI_KEY = 63
const wifiWords = (most: number, least: number): Reader<string> =>
  function (value, path, faults) {
    const text = typeof value === 'string' ? value : ''
    const bytes = new TextEncoder().encode(text).length
    if (typeof value === 'string' && bytes >= least && bytes <= most && !text.includes('\0')) return text
    faults.push({ path, message: `is ${show(value)}: give a text of ${least} to ${most} bytes` })
    return ''
  }

export const guestPassReader: Reader<GuestPassForm> = record({
  network: nullable(id),
  lasts: seconds,
  wifi: nullable(record<WifiAccess>({ name: wifiWords(WIFI_NAME, 1), key: wifiWords(WIFI_KEY, 0) })),
})
