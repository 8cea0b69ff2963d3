import { Counter, Gauge, Registry } from 'prom-client'
import { readInstant } from '../../core/time/instant.ts'
import type { AllowanceUse } from '../../core/allowance/outlook.ts'
import type { Policy } from '../../core/policy/types.ts'
import { isAnswering, type Gateway } from '../../protocol/gateway/gateway.ts'
import type { Count, Evidence } from '../../protocol/gateway/evidence.ts'
import type { ListSourceAnswer } from '../../protocol/list-source.ts'
import type { GatewayAnswer, LiveAnswer, UsageAnswer } from '../../protocol/answers.ts'

/**
 * Returns the counts of the gateway, as Prometheus reads them (text format 0.0.4): packets and bytes by
 * device and by rule, what was used today and of allowances, how old lists are, alarms, whether what is live
 * is in force, its clock. Counters are the gateway's own, so that they begin anew where it does; those of
 * usage do so at midnight.
 *
 * @returns the type of the text and the text
 * @throws Error where the gateway is away while it says what it counted
 */
export async function metricsText(
  { policy }: LiveAnswer,
  used: readonly UsageAnswer[],
  sources: readonly ListSourceAnswer[],
  view: GatewayAnswer,
  gateway: Gateway,
): Promise<{ readonly type: string; readonly text: string }> {
  const isUp = isAnswering(view.state) && !view.isTrial
  const registry = new Registry()
  const registers = [registry]
  const gauge = (name: string, help: string, value: number) => new Gauge({ name, help, registers }).set(value)
  gauge('kairostat_gateway_up', 'Whether the gateway answers', isUp ? 1 : 0)
  gauge(
    'kairostat_policy_in_force',
    'Whether the gateway holds its devices to what is live',
    view.state === 'in-force' ? 1 : 0,
  )
  countUsage(used, policy, registry)
  countSources(sources, registry)
  if (!isUp || !view.status) return { type: registry.contentType, text: await registry.metrics() }
  gauge(
    'kairostat_gateway_clock_ahead_seconds',
    'How far the clock of the gateway is ahead of ours',
    view.ahead,
  )
  const { alarms, inForceSince } = view.status
  if (inForceSince)
    gauge(
      'kairostat_policy_in_force_since_seconds',
      'When that policy came into force, in seconds since 1970',
      readInstant(inForceSince)!,
    )
  const raised = new Gauge({
    name: 'kairostat_alarms',
    help: 'Alarms there are now, by kind',
    labelNames: ['kind'],
    registers,
  })
  for (const { kind } of alarms) raised.inc({ kind })
  countEvidence(await gateway.evidence(), policy, registry)
  countAllowances((await gateway.allowances(view.status.clock)).uses, registry)
  return { type: registry.contentType, text: await registry.metrics() }
}

/** Puts how old the lists are that come from a source into a registry; one that was never read has no age. */
function countSources(sources: readonly ListSourceAnswer[], registry: Registry): void {
  const gaugeOf = (name: string, help: string) =>
    new Gauge({ name, help, labelNames: ['list'], registers: [registry] })
  const checked = gaugeOf(
    'kairostat_list_checked_seconds',
    'When a list was asked last, in seconds since 1970',
  )
  const failed = gaugeOf('kairostat_list_failed', 'Whether the last try to refresh a list failed')
  const waiting = gaugeOf('kairostat_list_waiting', 'Whether a refresh of a list waits for review')
  for (const source of sources) {
    const labels = { list: source.list }
    if (source.checkedAt !== null) checked.set(labels, readInstant(source.checkedAt)!)
    failed.set(labels, source.trouble === '' ? 0 : 1)
    waiting.set(labels, source.waiting ? 1 : 0)
  }
}

/** Puts what was used of allowances in their periods into a registry; empty labels where one is shared. */
function countAllowances(uses: readonly AllowanceUse[], registry: Registry): void {
  const gaugeOf = (name: string, help: string) =>
    new Gauge({ name, help, labelNames: ['rule', 'device', 'mac'], registers: [registry] })
  const used = gaugeOf('kairostat_allowance_used', 'What was used of an allowance, in minutes or megabytes')
  const limit = gaugeOf('kairostat_allowance_limit', 'How much of it may be used, with what overrides add')
  for (const use of uses) {
    const labels = { rule: use.rule, device: use.device ?? '', mac: use.mac ?? '' }
    used.set(labels, use.used)
    limit.set(labels, use.limit)
  }
}

/** Puts what each adapter used since its day began into a registry, by network. */
function countUsage(used: readonly UsageAnswer[], policy: Policy, registry: Registry): void {
  const labelNames = ['mac', 'device', 'network']
  const bytes = new Counter({
    name: 'kairostat_usage_bytes_total',
    help: 'What an adapter used since midnight, in bytes',
    labelNames: [...labelNames, 'direction'],
    registers: [registry],
  })
  const minutes = new Counter({
    name: 'kairostat_usage_minutes_total',
    help: 'In how many minutes since midnight an adapter was active',
    labelNames,
    registers: [registry],
  })
  const deviceOf = devicesByMac(policy)
  for (const row of used) {
    const labels = { mac: row.mac, device: deviceOf.get(row.mac) ?? '', network: row.network }
    bytes.inc({ ...labels, direction: 'sent' }, row.sent)
    bytes.inc({ ...labels, direction: 'received' }, row.received)
    minutes.inc(labels, row.minutes)
  }
}

const devicesByMac = ({ devices }: Policy) =>
  new Map(devices.flatMap(({ id, adapters }) => adapters.map(({ mac }): [string, string] => [mac, id])))

/** Puts what was counted into a registry, by device and by rule. */
function countEvidence(evidence: Evidence, policy: Policy, registry: Registry): void {
  const ofDevice = counters(registry, 'kairostat_device', 'What was seen of an adapter', ['mac', 'device'])
  const deviceOf = devicesByMac(policy)
  for (const { mac, passed, dropped } of evidence.devices)
    ofDevice({ mac, device: deviceOf.get(mac) ?? '' }, { passed, dropped })
  const ofRule = counters(registry, 'kairostat_rule', 'What a rule or override decided or logged', ['rule'])
  for (const { id, passed, dropped, logged } of evidence.clauses)
    ofRule({ rule: id }, { passed, dropped, logged })
}

/**
 * Counters of packets and of bytes with some labels, and the outcome; counts by the function that comes back.
 */
function counters(registry: Registry, name: string, help: string, labelNames: readonly string[]) {
  const counterOf = (unit: keyof Count) =>
    new Counter({
      name: `${name}_${unit}_total`,
      help: `${help}, in ${unit}`,
      labelNames: [...labelNames, 'outcome'],
      registers: [registry],
    })
  const [packets, bytes] = [counterOf('packets'), counterOf('bytes')]
  return (labels: Record<string, string>, outcomes: Record<string, Count>) => {
    for (const [outcome, count] of Object.entries(outcomes)) {
      packets.inc({ ...labels, outcome }, count.packets)
      bytes.inc({ ...labels, outcome }, count.bytes)
    }
  }
}
