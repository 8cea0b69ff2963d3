import { ENTRY_KINDS, KINDS, type EntryKey } from './kinds.ts'
import {
  app,
  device,
  group,
  network,
  override,
  place,
  rule,
  schedule,
  siteList,
  spent,
  version,
} from './parts.ts'
import { list, MOST_FAULTS, record, type Fault, type Reader } from './shape.ts'
import type { Override, Policy, What, Who } from './types.ts'

/** The most times in which allowances were used up. */
const MOST_SPENT = 100_000

const document: Reader<Policy> = record({
  kairostat: version,
  place,
  devices: list(device),
  networks: list(network),
  groups: list(group),
  schedules: list(schedule),
  siteLists: list(siteList),
  apps: list(app),
  rules: list(rule),
  overrides: list(override),
  spent: list(spent, MOST_SPENT),
})

/** The same as a reader of a value at a path, for a form that carries a whole policy. */
export const documentReader: Reader<Policy> = (value, path, faults) => {
  const result = readPolicy(value)
  if ('policy' in result) return result.policy
  faults.push(
    ...result.faults.map((fault) => ({ ...fault, path: [path, fault.path].filter(Boolean).join('.') })),
  )
  return value as Policy
}

/** Reads overrides beside a policy that was read: they, or every fault by its path. Never throws. */
export function readOverrides(
  value: unknown,
  policy: Policy,
): { readonly overrides: readonly Override[] } | { readonly faults: readonly Fault[] } {
  const faults: Fault[] = []
  const overrides = list(override)(value, 'overrides', faults)
  if (faults.length > 0) return { faults: firstFaults(faults) }
  const amended = { ...policy, overrides }
  faults.push(...uniqueFaults(amended), ...referenceFaults(amended))
  return faults.length > 0 ? { faults: firstFaults(faults) } : { overrides }
}

/**
 * Reads a policy document (parsed JSON or YAML): the normalised policy, or every fault by its path. Nothing
 * is guessed or left out: one
 * fault and the document is refused whole. Never throws, whatever the value.
 */
export function readPolicy(
  value: unknown,
): { readonly policy: Policy } | { readonly faults: readonly Fault[] } {
  const faults: Fault[] = []
  const policy = document(value, '', faults)
  // References are looked at where the parts could be read; a part that could not has its own fault already.
  if (faults.length < MOST_FAULTS && isWhole(policy))
    faults.push(...uniqueFaults(policy), ...ownerFaults(policy), ...referenceFaults(policy))
  return faults.length > 0 ? { faults: firstFaults(faults) } : { policy }
}

/** The first of many faults, with a word on the others. */
function firstFaults(faults: readonly Fault[]): readonly Fault[] {
  if (faults.length <= MOST_FAULTS) return faults
  return [
    ...faults.slice(0, MOST_FAULTS),
    { path: '', message: `has ${faults.length - MOST_FAULTS} more faults: mend these first` },
  ]
}

function isWhole(policy: Partial<Policy>): policy is Policy {
  const lists = [
    policy.devices,
    policy.networks,
    policy.groups,
    policy.schedules,
    policy.siteLists,
    policy.apps,
    policy.rules,
    policy.overrides,
    policy.spent,
  ]
  return (
    lists.every(Array.isArray) &&
    policy.devices!.every((entry) => Array.isArray(entry.adapters)) &&
    policy.rules!.every((entry) => entry.who?.except && entry.what && entry.when) &&
    policy.overrides!.every((entry) => entry.who?.except && (entry.what === null || entry.what?.apps))
  )
}

function uniqueFaults(policy: Policy): Fault[] {
  const paths = (key: EntryKey | 'overrides') =>
    policy[key].map(({ id }, index): [string, string] => [`${key}[${index}].id`, id])
  const macs = policy.devices.flatMap((entry, index) =>
    entry.adapters.map(({ mac }, at): [string, string] => [`devices[${index}].adapters[${at}].mac`, mac]),
  )
  return [
    // Rules and overrides share one space of ids.
    ...KINDS.filter((kind) => kind !== 'rule').flatMap((kind) =>
      repeated(paths(ENTRY_KINDS[kind].key), 'is the id of'),
    ),
    ...repeated([...paths('rules'), ...paths('overrides')], 'is the id of'),
    ...repeated(macs, 'is the address of'),
  ]
}

function repeated(values: readonly [path: string, value: string][], already: string): Fault[] {
  const first = new Map<string, string>()
  return values.flatMap(([path, value]) => {
    const earlier = first.get(value)
    if (value === undefined || value === '') return []
    if (earlier === undefined) first.set(value, path)
    return earlier === undefined
      ? []
      : [
          {
            path,
            message: `"${value}" ${already} ${earlier.replace(/\.(id|mac)$/, '')} already: each needs its own`,
          },
        ]
  })
}

/** Faults of devices that two people have. */
function ownerFaults({ groups }: Policy): Fault[] {
  const owners = new Map<string, string>()
  return groups.flatMap(({ name, person, members }, index) =>
    person
      ? members.flatMap((device, at): Fault[] => {
          const owner = owners.get(device)
          if (owner === undefined) owners.set(device, name)
          return owner === undefined || members.indexOf(device) < at
            ? []
            : [
                {
                  path: `groups[${index}].members[${at}]`,
                  message: `"${device}" belongs to the person "${owner}" already, and to "${name}": leave it with one of them`,
                },
              ]
        })
      : [],
  )
}

function referenceFaults(policy: Policy): Fault[] {
  const known = {
    device: new Set(policy.devices.map(({ id }) => id)),
    group: new Set(policy.groups.map(({ id }) => id)),
    network: new Set(policy.networks.map(({ id }) => id)),
    schedule: new Set(policy.schedules.map(({ id }) => id)),
    list: new Set(policy.siteLists.map(({ id }) => id)),
    app: new Set(policy.apps.map(({ id }) => id)),
    rule: new Set(policy.rules.map(({ id }) => id)),
  }
  const check = (kind: keyof typeof known, ids: readonly string[], path: string, isList = true): Fault[] =>
    ids.flatMap((id, index) =>
      known[kind].has(id)
        ? []
        : [
            {
              path: isList ? `${path}[${index}]` : path,
              message: `"${id}" is not ${kind === 'app' ? 'an' : 'a'} ${kind} of this document: add it, or remove the id`,
            },
          ],
    )
  const checkWho = (who: Who, path: string) => [
    ...check('device', who.devices, `${path}.devices`),
    ...check('group', who.groups, `${path}.groups`),
    ...check('network', who.networks, `${path}.networks`),
    ...check('network', who.except.networks, `${path}.except.networks`),
    ...check('device', who.except.devices, `${path}.except.devices`),
    ...check('group', who.except.groups, `${path}.except.groups`),
  ]
  const checkWhat = ({ siteLists, apps }: What, path: string) => [
    ...check('list', siteLists, `${path}.siteLists`),
    ...check('app', apps, `${path}.apps`),
  ]
  return [
    ...policy.groups.flatMap(({ members }, index) => check('device', members, `groups[${index}].members`)),
    ...policy.rules.flatMap(({ who, what, when }, index) => [
      ...checkWho(who, `rules[${index}].who`),
      ...checkWhat(what, `rules[${index}].what`),
      ...('schedules' in when ? check('schedule', when.schedules, `rules[${index}].when.schedules`) : []),
    ]),
    ...policy.overrides.flatMap(({ who, what }, index) => [
      ...checkWho(who, `overrides[${index}].who`),
      ...(what ? checkWhat(what, `overrides[${index}].what`) : []),
    ]),
    ...policy.spent.flatMap(({ rule, device }, index) => [
      ...check('rule', [rule], `spent[${index}].rule`, false),
      ...check('device', device === null ? [] : [device], `spent[${index}].device`, false),
    ]),
  ]
}
