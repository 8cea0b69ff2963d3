/**
 * How many packets went over an interface, both ways, as a text that is another when some did
 * (`/proc/net/dev`, proc_net(5)); `null` where it is not there.
 *
 * @example trafficCount('  br0: 840 7 0 0 0 0 0 0 1200 9 0 0 0 0 0 0\n', 'br0') // '7 9'
 */
export function trafficCount(text: string | null, name: string): string | null {
  const line = (text ?? '').split('\n').find((one) => one.trimStart().startsWith(`${name}:`))
  if (line === undefined) return null
  const columns = line
    .slice(line.indexOf(':') + 1)
    .trim()
    .split(/\s+/)
  const [received, sent] = [columns[1], columns[9]]
  return `${received} ${sent}`
}
