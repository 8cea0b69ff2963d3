import {
  attachedScript,
  ENVIRONMENT,
  lineOf,
  quoted,
  readingLine,
  REFUSED,
} from '../planes/linux/ssh/shell.ts'
import { SAY_CONNECTION } from '../planes/linux/ssh/ssh-system.ts'
import { START_UP_FILES, START_UP_SCRIPTS } from './start-up.ts'
import { TABLE } from '../planes/linux/table/table-setting.ts'
import { MONITOR } from '../planes/linux/watch/table-watch.ts'

const OURS = TABLE.split(' ')

/** Every line that is sent to a router, but what writes files that it runs by itself. */
function sentLines(leases: readonly string[]): string[] {
  return [
    ['true'],
    ['date', '-u', '+%s'],
    ['sh', '-c', SAY_CONNECTION],
    ['ip', '-V'],
    ['ip', '-j', 'addr'],
    ['ip', '-j', 'neigh', 'show'],
    ['ip', '-j', 'route', 'show', 'default'],
    ['bridge', '-j', 'fdb', 'show'],
    ['nft', '--version'],
    ['nft', 'list', 'tables'],
    ['nft', '-j', 'list', 'flowtables'],
    ['nft', '-a', '-t', 'list', 'ruleset'],
    ['nft', '-j', 'list', 'table', ...OURS],
    ['nft', '-s', '-t', 'list', 'table', ...OURS],
    ['nft', '-c', '-f', '-'],
    ['nft', '-f', '-'],
    ['sh', '-c', attachedScript(...MONITOR)],
    ['nft', 'delete', 'table', ...OURS],
    ...START_UP_SCRIPTS.map((script) => ['sh', '-c', script]),
  ]
    .map(([command, ...args]) => lineOf(command!, args))
    .concat(['/proc/net/dev', '/proc/sys/net/ipv4/ip_forward', ...START_UP_FILES, ...leases].map(readingLine))
}

/**
 * The line of a file of authorized keys (sshd(8)) with which a key runs nothing on a router but what is sent to
 * it: each line is compared whole. What nft is fed may still be any rule.
 *
 * @param keyLine - the line without bounds
 * @param leases - the lease files that are read there
 */
export function boundKeyLine(keyLine: string, leases: readonly string[]): string {
  const patterns = sentLines(leases).map((line) =>
    line.startsWith(`${ENVIRONMENT} `) ? `$e${quoted(line.slice(ENVIRONMENT.length))}` : quoted(line),
  )
  const script = [
    'set -f',
    `e=${quoted(ENVIRONMENT)}`,
    `case $SSH_ORIGINAL_COMMAND in ${patterns.join('|')}) eval $SSH_ORIGINAL_COMMAND;; *) echo ${quoted(REFUSED.words)} >&2; exit ${REFUSED.code};; esac`,
  ].join('; ')
  // Both servers take a double quote inside as the end.
  return `command="${script}",no-port-forwarding,no-agent-forwarding,no-X11-forwarding,no-pty ${keyLine}`
}
