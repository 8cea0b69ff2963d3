import { listWords, plural } from '../../../core/words/count.ts'

/** The texts about networks of the place and guests. */
export const networksText = {
  networks: 'Networks',
  what: 'Parts of your network, such as a guest Wi-Fi. Rules can apply to the devices in one.',
  connected: (count: number) =>
    count === 0 ? 'No device connected.' : `${count} ${plural(count, 'device', 'devices')} connected.`,
  found: (name: string, addresses: readonly string[], count: number) =>
    `${name}${addresses.length > 0 ? ` (${listWords(addresses)})` : ''}, found by the gateway, has no name yet. ${networksText.connected(count)}`,
  nameIt: (name: string) => `Call it ${name}`,
  actionsOf: (name: string) => `${name}: actions`,
  allowOrBlock: 'Allow or block…',
  edit: 'Edit…',
  delete: 'Delete',
  name: 'Name',
  nameExample: 'Guest Wi-Fi',
  interfaces: 'Interfaces of the gateway',
  addresses: 'Addresses',
  add: 'Add a network',
  inNone: 'No named network',
  /** Returns the network in which a device was seen last, and the one in which it would be otherwise. */
  seenOn: (network: string, isConnected: boolean) => `${isConnected ? 'On' : 'Last seen on'} [[${network}]].`,
  onAnother: (network: string, state: string) => `On [[${network}]]: ${state}`,
  elsewhere: (state: string) => `Elsewhere: ${state}`,
  onNetwork: (device: string, network: string) => `${device}, on ${network}`,
  seenThere: (when: string, network: string) => `${when}, ${network}`,
  guestPass: 'Guest pass',
  passWhat:
    'The next unknown device that joins within ten minutes is allowed at once, and for as long as you say. Then it is an unknown device again.',
  nextOn: 'The next unknown device on',
  isAllowed: 'is allowed',
  network: 'Network',
  anyNetwork: 'any network',
  yourNetwork: 'your network',
  howLong: 'For how long',
  forLength: (length: string) => `for ${length}`,
  wifiName: 'Wi-Fi name (optional)',
  wifiKey: 'Wi-Fi password',
  makePass: 'Allow the next device',
  passWaits: (network: string, length: string, left: string) =>
    `Waiting for the next unknown device on ${network}, for another ${left}. It is then allowed for ${length}.`,
  passUsed: (name: string, until: string) => `${name} has come and is allowed until ${until}.`,
  cancelPass: 'Stop waiting',
  endAccess: 'End access',
  close: 'Close',
  qrAlt: (name: string) => `QR code to join ${name}`,
  qrHint: (name: string) => `Let your guest scan this to join ${name}.`,
  guestPassFor: 'Guest pass…',
  save: 'Save',
  cancel: 'Cancel',
}
