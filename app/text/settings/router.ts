import { listWords } from '../../../core/words/count.ts'
import { lengthWords } from '../../../core/words/length.ts'

/** The texts about connecting a router over SSH. */
export const routerText = {
  title: 'A router with SSH',
  what: 'Most routers that run Linux let themselves be driven over SSH. Nothing is installed there: it needs nft, ip and an SSH server.',
  address: 'Address of the router',
  addressExample: '192.168.77.1',
  user: 'User',
  port: 'Port',
  look: 'Look at it',
  locked: (address: string) => `${address} does not know Kairostat yet.`,
  onTheRouter: 'Commands for the router',
  runThere: 'Run this on the router, then look again:',
  bound: 'Allow this key nothing else',
  boundWhat:
    'The key of Kairostat may then run nothing on the router but what Kairostat sends. You add a start-up file there yourself.',
  orPassword: 'Or type the password of the router. It is used once, to let Kairostat in, and stored nowhere.',
  password: 'Password of the router',
  letIn: 'Let Kairostat in',
  found: (versions: readonly string[]) => `Found: ${listWords(versions)}.`,
  clock: (ahead: number) =>
    ahead === 0
      ? 'Its clock is right.'
      : `Its clock is ${lengthWords(Math.abs(ahead))} ${ahead > 0 ? 'ahead' : 'behind'}.`,
  fingerprint: (fingerprint: string) => `Its host key is [[${fingerprint}]]. No other will be trusted.`,
  interfaces: 'Which interfaces lead to your devices?',
  interfaceWords: (name: string, addresses: readonly string[]) => `${name} (${listWords(addresses)})`,
  alone: 'If Kairostat is off, DNS look-ups are',
  fallbacks: { open: 'answered by the router itself', closed: 'refused' },
  offloads: (names: readonly string[]) =>
    `Its firewall forwards connections past all rules (flow table ${listWords(names)}): what is blocked later would go on.`,
  narrow: 'Keep restricted devices out of it',
  narrowWhat:
    'Kairostat adds a condition to the rules of the firewall that hand connections over. Devices without rules are forwarded as fast as before.',
  gap: (what: string, costs: string) => `${what} ${costs}`,
  use: 'Use this router',
  cannotUse: 'It cannot be used as it is.',
  connected: (address: string, lans: readonly string[]) =>
    `Connected to ${address}, for the devices behind ${listWords(lans)}.`,
  startUp: 'When the router restarts',
  startUpWhat: (isKept: boolean) =>
    isKept
      ? 'The router keeps the last rules and loads them before its network is up.'
      : 'Nothing is blocked until Kairostat has reached it, some seconds later. A start-up file there would load the last rules before its network is up; it is written again, at most once a minute, when your rules change.',
  showStartUp: 'Show the start-up file…',
  startUpFile: (path: string) => `Written as ${path}, with the rules in /etc/kairostat/table.nft:`,
  writeStartUp: 'Write it to the router',
  writeYourself: 'Run this on the router, then write it again from here:',
  deleteStartUp: 'Delete the start-up file',
  disconnect: 'Disconnect…',
  reallyDisconnect: 'Disconnect: nothing is blocked any more',
  cancel: 'Cancel',
  tryIt: 'Try it',
  tryWhat: 'Block a device for a minute, and see what the router drops:',
  device: 'Device',
  block: 'Block for a minute',
  dropped: (name: string, count: number) =>
    count === 0
      ? `${name} is blocked for a minute. Nothing of it was dropped so far: open a page there.`
      : `${name} is blocked for a minute: ${count.toLocaleString('en')} packets dropped. It works.`,
  tried: (name: string) => `${name} is blocked for a minute.`,
}
