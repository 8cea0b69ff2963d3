import { boundKeyLine } from './forced-command.ts'
import { quoted } from '../planes/linux/ssh/shell.ts'

/**
 * The command that has a router let a key in, at each SSH server that it may have. The same key with other
 * bounds is replaced: of two lines, the first would count.
 *
 * @param line - as it stands in a file of authorized keys (sshd(8))
 */
function letInCommand(line: string): string {
  const key = line.split(' ').at(-2)!
  return [
    `(umask 077; line=${quoted(line)}`,
    `add() { rest=$(grep -vF ${key} "$1" 2>/dev/null); printf '%s\\n' \${rest:+"$rest"} "$line" > "$1"; }`,
    'if [ -d /etc/dropbear ]; then add /etc/dropbear/authorized_keys; fi',
    'mkdir -p ~/.ssh && add ~/.ssh/authorized_keys)',
  ].join('; ')
}

/** The commands that let a key in: for all, or for nothing but what is sent to a router. */
export const letInCommands = (keyLine: string, leases: readonly string[]) => ({
  whole: letInCommand(keyLine),
  bound: letInCommand(boundKeyLine(keyLine, leases)),
})
