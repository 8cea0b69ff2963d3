import { SITE_FORMATS, type SiteFormat } from '../core/export/site-list.ts'
import { array, boolean, mixed, number, object, string as anyString, ValidationError, type Schema } from 'yup'
import {
  appForm as readApp,
  deviceForm as readDevice,
  groupForm as readGroup,
  networkForm as readNetwork,
  place as readPlace,
  ruleForm as readRule,
  scheduleForm as readSchedule,
  siteListForm as readSiteList,
} from '../core/policy/parts.ts'
import {
  guestPassReader,
  appEdits as readAppEdits,
  deviceEdits as readEdits,
  ruleEdits as readRuleEdits,
  overrideWish as readOverride,
  savedActReader,
  type AppEdits,
  type DeviceEdits,
  type GuestPassForm,
  type OverrideWishForm,
  type SavedActForm,
  type RuleEdits,
} from './edits.ts'
import { documentReader as readDocument } from '../core/policy/read.ts'
import { readInstant } from '../core/time/instant.ts'
import { PRETENCES, type Pretence } from './gateway/simulation.ts'
import { settingsReader, type Settings } from './gateway/settings.ts'
import { isObject, type Fault, type Reader } from '../core/policy/shape.ts'
import type {
  App,
  Device,
  Group,
  Network,
  Place,
  Policy,
  Rule,
  Schedule,
  SiteList,
} from '../core/policy/types.ts'
import type { Entry } from '../core/change/entries.ts'
import { KINDS } from '../core/policy/kinds.ts'
import { AUDIT_DAYS, AUDIT_KINDS, type AuditKind } from './audit.ts'
import { MAIL_SECURITIES, NOTICE_KINDS, type MailSecurity, type NoticeKind } from './notice.ts'
import { MACHINE_NAMES } from './people.ts'
import { COPIED_KINDS } from './places.ts'
import { LOG_KINDS, LOG_TRANSPORTS, type LogKind, type LogTransport } from './syslog.ts'
import { ROLES, TOKEN_ROLES, type HelperLimit, type Role, type TokenRole } from './roles.ts'

const ENTRY_REF_KINDS: readonly Entry['kind'][] = [...KINDS, 'place', 'order']

/** The fewest characters of a password. */
export const PASSWORD_LENGTH = 10

/** A text; what is none is not made one, since an object has no words of its own. */
const string = () =>
  anyString()
    .transform((value: string | undefined, original: unknown) =>
      typeof original === 'object' && original !== null ? undefined : value,
    )
    .test(
      'text',
      'must be a text',
      (_, { originalValue }) => typeof originalValue !== 'object' || originalValue === null,
    )

/**
 * Returns a schema over a reader of the policy's own: a form may hold what a document may hold, with the same words for
 * its faults. `part` names it in the document's JSON Schema. A value is read once: the schema transforms it and then
 * tests the result, which carries its faults.
 */
function schemaOf<T extends object>(reader: Reader<T>, part?: string): Schema<T> {
  const faultsOf = new WeakMap<object, readonly Fault[]>()
  const read = (value: unknown): { value: unknown; faults: readonly Fault[] } => {
    const faults: Fault[] = []
    const result = reader(value, '', faults)
    return faults.length > 0 ? { value, faults } : { value: result, faults }
  }
  const faultsIn = (value: unknown) => (isObject(value) && faultsOf.get(value)) || read(value).faults
  return mixed<T>()
    .meta({ part })
    .transform((given: unknown) => {
      const { value, faults } = read(given)
      if (isObject(value)) faultsOf.set(value, faults)
      return value
    })
    .test('policy', function (value) {
      const faults = faultsIn(value)
      return (
        faults.length === 0 ||
        new ValidationError(
          faults.map(({ path, message }) =>
            this.createError({ path: [this.path, path].filter(Boolean).join('.') || 'form', message }),
          ),
        )
      )
    }) as unknown as Schema<T>
}

export const placeForm: Schema<Place> = schemaOf(readPlace, 'place')
export const deviceForm: Schema<Omit<Device, 'id'>> = schemaOf(readDevice, 'device')
export const deviceEditsForm: Schema<DeviceEdits> = schemaOf(readEdits)
export const groupForm: Schema<Omit<Group, 'id'>> = schemaOf(readGroup, 'group')
export const networkForm: Schema<Omit<Network, 'id'>> = schemaOf(readNetwork, 'network')
export const scheduleForm: Schema<Omit<Schedule, 'id'>> = schemaOf(readSchedule, 'schedule')
export const siteListForm: Schema<Omit<SiteList, 'id'>> = schemaOf(readSiteList, 'siteList')
export const appForm: Schema<Omit<App, 'id'>> = schemaOf(readApp, 'app')
export const appEditsForm: Schema<AppEdits> = schemaOf(readAppEdits)
export const ruleEditsForm: Schema<RuleEdits> = schemaOf(readRuleEdits)
export const ruleForm: Schema<Omit<Rule, 'id'>> = schemaOf(readRule, 'rule')
export const overrideForm: Schema<OverrideWishForm> = schemaOf(readOverride, 'override')
export const savedActForm: Schema<SavedActForm> = schemaOf(savedActReader)

const name = string().trim().max(100, 'is longer than 100 characters').required('is empty: enter a name')

/** The name of a new account. */
const newName = name.test(
  'machine',
  'is a name under which Kairostat itself is written down: choose another one',
  (text) => !MACHINE_NAMES.some((one) => one === text?.trim().toLowerCase()),
)

export const signInForm = object({
  name,
  password: string().max(1000, 'is longer than 1000 characters').required('is empty: enter your password'),
  code: string().trim().max(50, 'is longer than 50 characters').default(''),
}).noUnknown()
/** The password of who is signed in, before something that only they may do. */
export const ownPasswordForm = object({
  password: string().max(1000, 'is longer than 1000 characters').required('is empty: enter your password'),
}).noUnknown()
/** The code that an authenticator app shows. */
export const codeForm = object({
  code: string()
    .trim()
    .max(50, 'is longer than 50 characters')
    .required('is empty: enter the code of your app'),
}).noUnknown()

const newPassword = string()
  .max(1000, 'is longer than 1000 characters')
  .min(PASSWORD_LENGTH, `is too short: use ${PASSWORD_LENGTH} characters or more`)

export const passwordForm = object({
  current: string()
    .max(1000, 'is longer than 1000 characters')
    .required('is empty: enter your current password'),
  next: newPassword.required('is empty: choose a new password'),
}).noUnknown()

const role = anyString<Role>()
  .oneOf(ROLES, `must be one of ${ROLES.join(', ')}`)
  .required('is missing: choose a role')
/** The longest time for which a helper may allow or block at once, in minutes. */
export const MOST_HELP_MINUTES = 1440
const helperLimit = object({
  minutes: number()
    .integer('must be a whole number of minutes')
    .min(1, 'must be one minute or more')
    .max(MOST_HELP_MINUTES, `must be ${MOST_HELP_MINUTES} minutes or fewer`)
    .required('is missing: say how many minutes'),
  groups: array(string().required('is empty: give the id of a group'))
    .min(1, 'is empty: choose a group')
    .max(100, 'has more than 100 groups')
    .required('is missing: choose a group'),
}).noUnknown()
/** The limit of a helper, whom it must not lack; others have none. */
const limit: Schema<HelperLimit | null> = helperLimit
  .nullable()
  .default(null)
  .when('role', ([role], schema) =>
    role === 'helper'
      ? schema.required('is missing: say for how many minutes and for which groups')
      : schema.test('none', 'is only for helpers: leave it out', (value) => value === null),
  ) as unknown as Schema<HelperLimit | null>
/** The rights of an account, and whether it may sign in. */
export const personForm = object({
  role,
  limit,
  isDisabled: boolean().required('is missing: say true or false'),
}).noUnknown()
/** To what somebody is invited. */
export const invitationForm = object({ role, limit }).noUnknown()
/** The answer to a request for more time: for how many minutes it is granted, `null` = it is declined. */
export const requestAnswerForm = object({
  minutes: number()
    .integer('must be a whole number of minutes')
    .min(1, 'must be one minute or more')
    .max(MOST_HELP_MINUTES, `must be ${MOST_HELP_MINUTES} minutes or fewer`)
    .nullable()
    .defined('is missing: say how many minutes, or null to decline'),
}).noUnknown()
const invitationCode = string()
  .max(100, 'is longer than 100 characters')
  .required('is empty: open the link of the invitation')
/** The code of an invitation. */
export const joinLookForm = object({ code: invitationCode }).noUnknown()
/** The account of who was invited. */
export const joinForm = object({
  code: invitationCode,
  name: newName,
  password: newPassword.required('is empty: choose a password'),
  /** Whether the account is there already; then with a code of its second factor, where it has one. */
  isMine: boolean().default(false),
  secondCode: string().trim().max(100, 'is longer than 100 characters').default(''),
}).noUnknown()

export const setUpForm = object({
  code: string()
    .trim()
    .uppercase()
    .max(100, 'is longer than 100 characters')
    .required('is empty: it is shown on the console where Kairostat was started'),
  name: newName,
  password: newPassword.required('is empty: choose a password'),
  place: placeForm.required(),
}).noUnknown()

/** Entries in which the draft differs from what is live, by kind and id ('' of the place and of the order). */
const entryRefs = array(
  object({
    kind: mixed<Entry['kind']>().oneOf(ENTRY_REF_KINDS, 'is no kind of entry').defined('is missing'),
    id: string().max(200).defined('is missing'),
  }).noUnknown(),
).max(20_000, 'names more than 20,000 entries')

export const discardForm = object({ entries: entryRefs.required('is missing') }).noUnknown()

export const putLiveForm = object({
  /** The changes of the draft that stay in it and are not applied. */
  later: entryRefs.default([]),
  note: string().trim().max(500, 'is longer than 500 characters').default(''),
  /** The number of an earlier revision that is applied again in the draft's place. */
  again: number().integer('is not a whole number').max(2_000_000_000, 'is not the number of a revision'),
}).noUnknown()

export const endForm = object({
  until: string().nullable().defined('is missing: give an instant, or null for “until I end it”'),
}).noUnknown()

export const guestPassForm: Schema<GuestPassForm> = schemaOf(guestPassReader)

const routerFields = {
  address: string()
    .trim()
    .required('is missing: give the address of the router, such as 192.168.77.1')
    .matches(/^[\w.:-]{1,253}$/, 'must be an address or a host name, such as 192.168.77.1'),
  port: number().integer('must be a port from 1 to 65535').min(1).max(65_535).default(22),
  user: string()
    .trim()
    .matches(/^[a-z_][\w.-]{0,31}$/i, 'must be the name of a user, such as root')
    .default('root'),
}
/** The address of a router over SSH. */
export const routerForm = object(routerFields).noUnknown()
/** The router that is to let us in, by its user's password. */
export const letInForm = object({
  ...routerFields,
  password: anyString().max(1000, 'is longer than 1000 characters').required('is empty: type it'),
  isBound: boolean().default(false),
}).noUnknown()
/** The router that is driven from now on. */
export const pairingForm = object({
  ...routerFields,
  lans: array(
    string()
      .matches(/^[\w.-]{1,15}$/, 'must be the name of an interface, such as br0')
      .required('is empty: give the name of an interface'),
  )
    .min(1, 'must name an interface of the local network')
    .max(50, 'has more than 50 interfaces')
    .required('is missing'),
  fallback: anyString<'open' | 'closed'>()
    .oneOf(['open', 'closed'], 'must be open or closed')
    .default('open'),
  offload: anyString<'all' | 'unrestricted'>()
    .oneOf(['all', 'unrestricted'], 'must be all or unrestricted')
    .default('all'),
  startUp: boolean().default(false),
}).noUnknown()

export const takeInForm: Schema<Policy> = schemaOf(readDocument, 'policy')

export const orderForm = object({
  ids: array(string().required())
    .max(20_000, 'names more than 20,000')
    .required('is missing: list the ids in their order'),
}).noUnknown()

export const stepForm = object({
  to: string()
    .oneOf(['undo', 'redo'] as const, 'must be undo or redo')
    .required('is missing: give undo or redo'),
  step: number().integer('is not a whole number').required('is missing: give the number of the edit'),
  anyway: boolean().default(false),
}).noUnknown()

export const dismissalForm = object({
  reason: string().trim().max(500, 'is longer than 500 characters').required('is empty: enter a reason'),
}).noUnknown()

const anyInstant = string().test(
  'instant',
  'is not an instant: write it like 2026-11-27T21:30:00Z',
  (text) => text === undefined || text === null || readInstant(text) !== null,
)
const instantText = anyInstant.required('is missing: give an instant')

const macText = string()
  .matches(/^[0-9a-f:]{17}$/, 'is not a valid MAC address: write it like 02:5e:10:00:00:01')
  .required('is missing: give a MAC address')

const macList = string()
  .matches(
    /^([0-9a-f:]{17}(,[0-9a-f:]{17}){0,49})?$/,
    'is not a list of MAC addresses: separate them with commas',
  )
  .default('')

const mailAddress = string()
  .trim()
  .max(200, 'is longer than 200 characters')
  .matches(/^$|^[^\s@<>,;"]+@[^\s@<>,;"]+$/, 'is not a mail address: write it like marta@bindery.example')
const noticeKinds = array(
  anyString<NoticeKind>()
    .oneOf(NOTICE_KINDS, `must be one of ${NOTICE_KINDS.join(', ')}`)
    .required('is empty: name a kind of notice'),
)
  .max(NOTICE_KINDS.length, 'has more entries than there are kinds')
  .required('is missing: give the kinds of notices')
/** The address for one's own notices ('' = none), and their kinds. */
export const noticesForm = object({ mail: mailAddress.default(''), kinds: noticeKinds }).noUnknown()
/** The name or address of a server, and its port. */
const serverFields = (server: string, example: string, ports: string) => ({
  host: string()
    .trim()
    .max(253, 'is longer than 253 characters')
    .matches(/^[\w.:-]+$/, `is not a host name or address: write it like ${example}`)
    .required(`is empty: enter the name of the ${server}`),
  port: number()
    .integer('must be a whole number')
    .min(1, 'must be 1 or more')
    .max(65_535, 'must be 65535 or less')
    .required(`is missing: enter the port, mostly ${ports}`),
})
const mailServer = object({
  ...serverFields('mail server', 'mail.bindery.example', '465 or 587'),
  security: anyString<MailSecurity>()
    .oneOf(MAIL_SECURITIES, `must be one of ${MAIL_SECURITIES.join(', ')}`)
    .required('is missing: choose how the connection is protected'),
  user: string()
    .max(200, 'is longer than 200 characters')
    .default('')
    .when('security', ([security], schema) =>
      security === 'none'
        ? schema.oneOf([''], 'needs a protected connection: choose TLS or STARTTLS, or leave the user empty')
        : schema,
    ),
  password: string().max(500, 'is longer than 500 characters').nullable().default(null),
  from: mailAddress.required('is empty: enter the address from which mail is sent'),
}).noUnknown()
/** A mail server, `null` = none; a password of `null` = the one that is stored. */
export const mailServerForm = object({
  server: mailServer.nullable().defined('is missing: give a mail server, or null for none'),
}).noUnknown()
/** A mail server, and to whom it sends a test message. */
export const mailTestForm = object({
  server: mailServer.required('is missing: give a mail server'),
  to: mailAddress.required('is empty: enter an address'),
}).noUnknown()
/** The address to which notices are sent as JSON, and their kinds. */
export const webhookForm = object({
  url: string()
    .trim()
    .max(1000, 'is longer than 1000 characters')
    .test('url', 'is not an address: write it like https://hooks.bindery.example/kairostat', (text) =>
      isWebAddress(text ?? ''),
    )
    .required('is empty: enter an address'),
  kinds: noticeKinds.min(1, 'is empty: choose a kind of notice'),
}).noUnknown()
/** A server that takes messages of syslog, and which. */
export const logServerForm = object({
  ...serverFields('log server', 'logs.bindery.example', '6514 for TLS, 601 for TCP and 514 for UDP'),
  transport: anyString<LogTransport>()
    .oneOf(LOG_TRANSPORTS, `must be one of ${LOG_TRANSPORTS.join(', ')}`)
    .required('is missing: choose TLS, TCP or UDP'),
  authority: string()
    .trim()
    .max(100_000, 'is longer than 100,000 characters')
    .matches(
      /^$|-----BEGIN CERTIFICATE-----[\s\S]+-----END CERTIFICATE-----/,
      'is not a certificate: paste it as PEM, from -----BEGIN CERTIFICATE----- on',
    )
    .default(''),
  kinds: array(
    anyString<LogKind>()
      .oneOf(LOG_KINDS, `must be one of ${LOG_KINDS.join(', ')}`)
      .required('is empty: name what is sent'),
  )
    .min(1, 'is empty: choose what is sent')
    .max(LOG_KINDS.length, 'has more entries than there are kinds')
    .required('is missing: choose what is sent'),
}).noUnknown()
function isWebAddress(text: string): boolean {
  return URL.canParse(text) && ['http:', 'https:'].includes(new URL(text).protocol)
}

/** Whether a text is the address of a zone: `dns://server[:port]/zone` (RFC 4501). */
function isZoneAddress(text: string): boolean {
  return /^dns:\/\/([\w.-]+|\[[\da-f:]+\])(:\d{1,5})?\/[\w.-]{1,253}$/i.test(text) && URL.canParse(text)
}
/**
 * The source of a site list, its interval, and the share of changes from which a refresh waits for review.
 */
export const listSourceForm = object({
  url: string()
    .trim()
    .max(1000, 'is longer than 1000 characters')
    .test(
      'url',
      'is not an address: write it like https://lists.bindery.example/video.txt, or dns://192.0.2.53/rpz.bindery.example for a zone transfer',
      (text) => isWebAddress(text ?? '') || isZoneAddress(text ?? ''),
    )
    .required('is empty: enter an address'),
  key: string()
    .trim()
    .max(500, 'is longer than 500 characters')
    .matches(
      /^$|^hmac-sha(256|384|512):[\w.-]{1,253}:[A-Za-z0-9+/]{22,}={0,2}$/,
      'is not a key: write it like hmac-sha256:name:secret, the secret in base64',
    )
    .nullable()
    .default(null),
  hours: number()
    .integer('must be a whole number of hours')
    .min(1, 'must be one hour or more')
    .max(720, 'must be 720 hours or less')
    .required('is missing: say how often it is asked, in hours'),
  share: number()
    .integer('must be a whole number of percent')
    .min(1, 'must be 1% or more')
    .max(100, 'must be 100% or less')
    .required('is missing: say how large a change goes live by itself, in percent'),
  inside: boolean().default(false),
}).noUnknown()
/** The name of a key for zone transfers: a domain name, as DNS servers want it. */
export const transferKeyForm = object({
  name: string()
    .trim()
    .lowercase()
    .matches(
      /^[a-z\d]([a-z\d-]{0,61}[a-z\d])?$/,
      'is not a name for a key: use letters, digits and hyphens, like branch-office',
    )
    .required('is empty: enter a name'),
}).noUnknown()
/** In which form a list is given, and the token of a program that cannot send one in a header. */
export const listFileForm = object({
  format: anyString<SiteFormat>()
    .oneOf(SITE_FORMATS, `must be one of ${SITE_FORMATS.join(', ')}`)
    .default('plain'),
  token: string().max(200, 'is longer than 200 characters').default(''),
}).noUnknown()
/** Whether what waits of a list is used, or declined. */
export const listReviewForm = object({
  use: boolean().required('is missing: say true or false'),
}).noUnknown()

/** The search in the audit log; a part that is left out restricts nothing. */
export const auditForm = object({
  text: string().max(200, 'is longer than 200 characters').default(''),
  kind: anyString<AuditKind>()
    .nullable()
    .oneOf([...AUDIT_KINDS, null], `must be one of ${AUDIT_KINDS.join(', ')}`)
    .default(null),
  account: string().max(100, 'is longer than 100 characters').nullable().default(null),
  from: anyInstant.nullable().default(null),
  until: anyInstant.nullable().default(null),
  before: number().integer('must be a whole number').nullable().default(null),
}).noUnknown()
/** For how many days the audit log is kept; `null` = for ever. */
export const auditKeptForm = object({
  days: number()
    .nullable()
    .oneOf([...AUDIT_DAYS], 'must be 30, 90, 365 or 1095 days, or null')
    .defined('is missing: say how many days, or null for ever'),
}).noUnknown()

export const tokenForm = object({
  name: string()
    .trim()
    .max(200, 'is longer than 200 characters')
    .required('is empty: enter what the token is for'),
  role: anyString<TokenRole>()
    .oneOf(TOKEN_ROLES, `must be one of ${TOKEN_ROLES.join(', ')}`)
    .default('live'),
  days: number()
    .integer('must be a whole number of days')
    .min(1, 'must be 1 or more')
    .max(3650, 'must be 3650 or fewer')
    .nullable()
    .default(null),
}).noUnknown()

export const leaveForm = object({
  leftAlone: boolean().required('is missing: give true or false'),
}).noUnknown()

export const decisionForm = object({ mac: macText, at: instantText }).noUnknown()

/** Whether long lists come without their sites (`brief`). */
export const liveForm = object({
  lists: string().max(100, 'is longer than 100 characters').default(''),
}).noUnknown()

export const partsForm = object({ mark: string().default('') }).noUnknown()

export const sinceForm = object({ from: instantText }).noUnknown()

export const learnedForm = object({
  macs: string()
    .matches(
      /^[0-9a-f:]{17}(,[0-9a-f:]{17}){0,49}$/,
      'is not a list of MAC addresses: separate them with commas',
    )
    .required('is missing: give the MAC addresses of a device'),
  from: instantText,
  until: instantText,
}).noUnknown()

export const settingsForm: Schema<Settings> = schemaOf(settingsReader)

export const pageForm = object({
  mac: macText,
  name: string().max(300, 'is longer than 300 characters').required('is missing: give a name'),
}).noUnknown()

/**
 * The search in the usage of `[from, until)`, by hour (at most 62 days, of all adapters 8) or by day of the
 * place's calendar; of these adapters, empty = of all.
 */
export const usageForm = object({
  from: instantText,
  until: instantText,
  by: string()
    .oneOf(['hour', 'day'] as const, 'must be hour or day')
    .default('day'),
  macs: macList,
})

/**
 * The search in the look-ups: those whose name contains a text, of some addresses, with a verdict, that
 * began before an instant; `skip` of the latest are left out.
 */
/** A gateway that is to be paired, with the code that it shows; `null` = one is to be shown here. */
export const pairGatewayForm = object({
  address: string()
    .trim()
    .matches(/^(\[[0-9a-fA-F:]+\]|[A-Za-z0-9.-]+):[1-9]\d{0,4}$/, 'must be like 192.168.77.1:3310')
    .required('is empty: enter the address of the gateway, such as 192.168.77.1:3310'),
  code: string()
    .trim()
    .uppercase()
    .matches(/^[A-Z0-9]{4}-?[A-Z0-9]{4}$/, 'has eight letters and digits, such as ABCD-EFGH')
    .nullable()
    .default(null),
}).noUnknown()

/** The text that is searched at all places. */
export const findForm = object({
  text: string().trim().max(200, 'is longer than 200 characters').default(''),
}).noUnknown()

/** The entries that are copied from another place. */
export const copyForm = object({
  from: string().max(100, 'is longer than 100 characters').required('is missing: name the place'),
  kind: string()
    .oneOf(COPIED_KINDS, `must be ${COPIED_KINDS.join(', ')}`)
    .required('is missing'),
  ids: array(string().max(200, 'is longer than 200 characters').required())
    .min(1, 'is empty: name what is to be copied')
    .max(1000, 'names more than 1,000')
    .required('is missing'),
}).noUnknown()

export const searchForm = object({
  text: string().trim().lowercase().max(253, 'is longer than 253 characters').default(''),
  macs: macList,
  effect: string()
    .oneOf(['', 'block', 'allow'] as const, 'must be block or allow')
    .default(''),
  until: instantText,
  skip: number()
    .integer('is not a whole number')
    .min(0, 'is less than 0')
    .max(1_000_000, 'is more than a million')
    .default(0),
}).noUnknown()

/** `PUT /api/gateway/trial` */
export const trialForm = object({ isOn: boolean().required('is missing: say true or false') })

/** The way in which the simulated network is to go wrong. */
export const pretendForm = object({
  trouble: anyString<Pretence>()
    .oneOf(PRETENCES, `must be one of ${PRETENCES.join(', ')}`)
    .required('is missing'),
}).noUnknown()

export const useAppForm = object({
  mac: string().required('is missing: give the MAC address of a device'),
  app: string().required('is missing: give an app of the simulated network'),
}).noUnknown()

export const clockForm = object({
  instant: string().nullable().defined('is missing: give an instant, or null to follow the real clock again'),
}).noUnknown()
