/**
 * Services by what people call them, each with other words for it and its ports by IANA's registry of service
 * names and port numbers (RFC 6335); WireGuard has none there, and the port that is customary stands for it.
 */
export const COMMON_SERVICES: readonly {
  readonly name: string
  readonly also: readonly string[]
  readonly services: readonly string[]
}[] = [
  { name: 'Web', also: ['http', 'https', 'quic', 'sites'], services: ['tcp/80,443', 'udp/443'] },
  {
    name: 'Mail',
    also: ['email', 'e-mail', 'smtp', 'imap', 'pop'],
    services: ['tcp/25,110,143,465,587,993,995'],
  },
  {
    name: 'Calls and meetings',
    also: ['meetings', 'telephone', 'voice', 'video', 'sip', 'stun'],
    services: ['tcp/3478,5060,5061,5349', 'udp/3478,5060,5349'],
  },
  {
    name: 'VPN and tunnels',
    also: ['tunnels', 'wireguard', 'openvpn', 'ipsec', 'l2tp', 'pptp'],
    services: ['tcp/1194,1723', 'udp/500,1194,1701,4500,51820'],
  },
  { name: 'Remote desktop', also: ['desktop', 'rdp', 'vnc'], services: ['tcp/3389,5900', 'udp/3389'] },
  {
    name: 'File transfer',
    also: ['transfer', 'files', 'ftp', 'sftp', 'ssh', 'smb', 'nfs', 'rsync'],
    services: ['tcp/20-22,445,873,989,990,2049'],
  },
]

/**
 * Returns the common services that a typed word is the beginning of a name for.
 *
 * @example commonServices('mai')[0].name // 'Mail'
 */
export function commonServices(typed: string): typeof COMMON_SERVICES {
  const word = typed.trim().toLowerCase()
  if (word === '') return []
  return COMMON_SERVICES.filter(({ name, also }) =>
    [name.toLowerCase(), ...also].some((one) => one.startsWith(word)),
  )
}
