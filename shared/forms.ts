import { array, boolean, mixed, number, object, string as anyString, ValidationError, type Schema } from 'yup'
import { appEdits as readAppEdits, appForm as readApp, deviceEdits as readEdits, ruleEdits as readRuleEdits, deviceForm as readDevice, groupForm as readGroup, networkForm as readNetwork, overrideWish as readOverride, place as readPlace, ruleForm as readRule, scheduleForm as readSchedule, siteListForm as readSiteList, type AppEdits, type DeviceEdits, type OverrideWishForm, type RuleEdits } from '../core/policy/parts.ts'
import { documentReader as readDocument } from '../core/policy/read.ts'
import { readInstant } from '../core/time/instant.ts'
import { PRETENCES, type Pretence } from '../gateway/protocol.ts'
import { settingsReader, type Settings } from '../gateway/settings.ts'
import type { Fault, Reader } from '../core/policy/shape.ts'
import type { App, Device, Group, Network, Place, Policy, Rule, Schedule, SiteList } from '../core/policy/types.ts'

/** The fewest characters of a password. */
export const PASSWORD_LENGTH = 10

/** A text; what is none is not made one, since an object has no words of its own. */
const string = () => anyString()
  .transform((value: string | undefined, original: unknown) => typeof original === 'object' && original !== null ? undefined : value)
  .test('text', 'must be a text', (_, { originalValue }) => typeof originalValue !== 'object' || originalValue === null)

/** A schema over a reader of the policy's own: what a form may hold is what a document may hold, with the same words for what is wrong. */
function schemaOf<T extends object>(reader: Reader<T>): Schema<T> {
  const read = (value: unknown) => {
    const faults: Fault[] = []
    return { value: reader(value, '', faults), faults }
  }
  return mixed<T>()
    .transform((value: unknown) => {
      const result = read(value)
      return result.faults.length > 0 ? value : result.value
    })
    .test('policy', function (value) {
      const { faults } = read(value)
      return faults.length === 0 || new ValidationError(faults.map(({ path, message }) => this.createError({ path: [this.path, path].filter(Boolean).join('.') || 'form', message })))
    }) as unknown as Schema<T>
}

export const placeForm: Schema<Place> = schemaOf(readPlace)
export const deviceForm: Schema<Omit<Device, 'id'>> = schemaOf(readDevice)
export const deviceEditsForm: Schema<DeviceEdits> = schemaOf(readEdits)
export const groupForm: Schema<Omit<Group, 'id'>> = schemaOf(readGroup)
export const networkForm: Schema<Omit<Network, 'id'>> = schemaOf(readNetwork)
export const scheduleForm: Schema<Omit<Schedule, 'id'>> = schemaOf(readSchedule)
export const siteListForm: Schema<Omit<SiteList, 'id'>> = schemaOf(readSiteList)
export const appForm: Schema<Omit<App, 'id'>> = schemaOf(readApp)
export const appEditsForm: Schema<AppEdits> = schemaOf(readAppEdits)
export const ruleEditsForm: Schema<RuleEdits> = schemaOf(readRuleEdits)
export const ruleForm: Schema<Omit<Rule, 'id'>> = schemaOf(readRule)
export const overrideForm: Schema<OverrideWishForm> = schemaOf(readOverride)

const name = string().trim().max(100, 'is longer than 100 characters').required('is empty: say a name')

export const signInForm = object({
  name,
  password: string().max(1000, 'is longer than 1000 characters').required('is empty: say your password'),
}).noUnknown()

const newPassword = string().max(1000, 'is longer than 1000 characters').min(PASSWORD_LENGTH, `is too short: take ${PASSWORD_LENGTH} characters or more`)

export const passwordForm = object({
  current: string().max(1000, 'is longer than 1000 characters').required('is empty: say your current password'),
  next: newPassword.required('is empty: choose a new password'),
}).noUnknown()

export const setUpForm = object({
  code: string().trim().uppercase().max(100, 'is longer than 100 characters').required('is empty: it stands on the console where Kairostat was started'),
  name,
  password: newPassword.required('is empty: choose a password'),
  place: placeForm.required(),
}).noUnknown()

export const putLiveForm = object({
  note: string().trim().max(500, 'is longer than 500 characters').default(''),
  /** The number of an earlier revision that is put live again in the draft's place. */
  again: number().integer('is no whole number').max(2_000_000_000, 'is not the number of a revision'),
}).noUnknown()

export const endForm = object({ until: string().nullable().defined('is missing: say an instant, or null for until it is lifted') }).noUnknown()

export const takeInForm: Schema<Policy> = schemaOf(readDocument)

export const orderForm = object({ ids: array(string().required()).required('is missing: list the ids in their order') }).noUnknown()

export const stepForm = object({ to: string().oneOf(['undo', 'redo'] as const, 'is neither undo nor redo').required('is missing: say undo or redo'), step: number().integer('is no whole number').required('is missing: say the number of the edit') }).noUnknown()

export const asideForm = object({ reason: string().trim().max(500, 'is longer than 500 characters').required('is empty: say why it may stay') }).noUnknown()

export const tokenForm = object({ name: string().trim().max(200, 'is longer than 200 characters').required('is empty: say what the token is for') }).noUnknown()

export const leaveForm = object({ leftAlone: boolean().required('is missing: say true or false') }).noUnknown()

const instantText = string().test('instant', 'is no instant: write it as in 2026-11-27T21:30:00Z', text => text === undefined || readInstant(text) !== null).required('is missing: say an instant')

const macText = string().matches(/^[0-9a-f:]{17}$/, 'is no address: write it as in 02:5e:10:00:00:01').required('is missing: say an address')

export const decisionForm = object({ mac: macText, at: instantText }).noUnknown()

export const partsForm = object({ mark: string().default('') }).noUnknown()

export const sinceForm = object({ from: instantText }).noUnknown()

export const learnedForm = object({
  macs: string().matches(/^[0-9a-f:]{17}(,[0-9a-f:]{17}){0,49}$/, 'is no list of addresses: part them by commas').required('is missing: say the addresses of a device'),
  from: instantText, until: instantText,
}).noUnknown()

export const settingsForm: Schema<Settings> = schemaOf(settingsReader)

export const pageForm = object({ mac: macText, name: string().max(300, 'is longer than 300 characters').required('is missing: say a name') }).noUnknown()

/** Which look-ups are searched: those whose name contains a text, of some addresses, with a verdict, that began before an instant; `skip` of the latest are left out. */
export const searchForm = object({
  text: string().trim().lowercase().max(253, 'is longer than 253 characters').default(''),
  macs: string().matches(/^([0-9a-f:]{17}(,[0-9a-f:]{17}){0,49})?$/, 'is no list of addresses: part them by commas').default(''),
  effect: string().oneOf(['', 'block', 'allow'] as const, 'is neither block nor allow').default(''),
  until: instantText, skip: number().integer('is no whole number').min(0, 'is less than 0').max(1_000_000, 'is more than a million').default(0),
}).noUnknown()

/** How the simulated network is to go wrong. */
export const pretendForm = object({ trouble: anyString<Pretence>().oneOf(PRETENCES, `is none of ${PRETENCES.join(', ')}`).required('is missing') }).noUnknown()

export const useAppForm = object({ mac: string().required('is missing: say the address of a device'), app: string().required('is missing: say an app of the simulated network') }).noUnknown()

export const clockForm = object({ instant: string().nullable().defined('is missing: say an instant, or null to be in step again') }).noUnknown()
