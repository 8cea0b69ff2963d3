/** The terms that the interface uses. */
export const TERMS: readonly (readonly [term: string, meaning: string])[] = [
  ['Device', 'Something on your network, known by the MAC addresses of its network adapters.'],
  ['Unknown device', 'A MAC address that belongs to no device yet.'],
  ['Group', 'Devices that rules name together.'],
  ['Schedule', 'Weekly time ranges with a name. An exception is a date that differs.'],
  ['Rule', 'Who may or may not reach what, and when. The first rule that matches decides.'],
  ['Allowance', 'How much may be used in a day or a week before a rule blocks.'],
  ['Override', 'Allows or blocks for a while, or until a time.'],
  ['Draft, live, revision', 'What is being edited; what the gateway enforces; what was live before.'],
  ['Gateway', 'The router that enforces your rules.'],
  ['DNS look-up', 'A device asking for the address of a site.'],
  [
    'Private MAC address',
    'An address that a phone changes by itself. A changed one counts as an unknown device.',
  ],
]

/** The steps for a device that is still online, in the order in which to look. */
export const STILL_ONLINE: readonly (readonly [question: string, answer: string])[] = [
  [
    'Is a gateway connected?',
    'A line at the top says where none is. Nothing on a real network is blocked until you connect one.',
  ],
  ['Are there changes that are not live?', 'The bar at the bottom counts them. Review and apply them.'],
  [
    'Is it allowed by an override, or never blocked?',
    'The device’s panel on the board says so. End the override, or change the device.',
  ],
  [
    'Does it have a new address?',
    'A phone with a private MAC address shows up as new on the network. Add the address to the device, or turn private addresses off on the phone.',
  ],
  ['Does it use another adapter?', 'A device with Wi-Fi and a cable has two MAC addresses. Add both.'],
  [
    'Does it use encrypted DNS or a VPN?',
    'Rules for sites can be bypassed that way. The warning at the rule offers to block it.',
  ],
  [
    'Is there another way to the internet?',
    'A second router, a mobile connection, or flow offloading on the router. Activity shows an alarm.',
  ],
  ['Is the clock right?', 'Settings shows the clocks of the server and of the gateway.'],
]

/** The texts of the page of help and of the list of keys. */
export const helpText = {
  keys: 'Keys',
  close: 'Close',
  moreHelp: 'More help',
  pageTitle: 'Help · Kairostat',
  help: 'Help',
  howToReadTheDrawings: 'How to read the drawings',
  whatABandShows:
    'A band shows a device’s access over time: the higher it is, the more it can reach. A pale upper half is allowed while an allowance lasts. The drawing at the top is the same for the whole network.',
  itIsStillOnline: 'It is still online',
  terms: 'Eleven terms',
}
