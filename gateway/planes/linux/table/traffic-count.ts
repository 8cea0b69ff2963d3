/**
 * Returns the count of packets on interfaces, both ways, as a text that is another when some did
 * (`/proc/net/dev`, proc_net(5)); empty where none of them is there.
 *
 * @example trafficCount('  br0: 840 7 0 0 0 0 0 0 1200 9 0 0 0 0 0 0\n', ['br0']) // 'br0 7 9'
 */
export function trafficCount(text: string | null, names: readonly string[]): string {
  return (text ?? '')
    .split('\n')
    .flatMap((line) => {
      const [name, counts = ''] = line.split(/:(.*)/)
      if (!names.includes(name!.trim())) return []
      const columns = counts.trim().split(/\s+/)
      return `${name!.trim()} ${columns[1]} ${columns[9]}`
    })
    .join('\n')
}
