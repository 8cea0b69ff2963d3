import { countWords, plural } from '../../core/words/count.ts'
import type { CopyAnswer } from '../../protocol/places.ts'

/** The texts about several places. */
export const placesText = {
  pageTitle: 'All places · Kairostat',
  title: 'All places',
  place: 'Place',
  headline: (count: number) => `${countWords(count, 'place')}, `,
  blockedNow: (count: number) => `${count} ${plural(count, 'device', 'devices')} blocked now`,
  allWell: 'Every gateway is up to date.',
  unconnected: (count: number) =>
    count === 1 ? 'One place has no gateway connected.' : `${count} places have no gateway connected.`,
  needAttention: (count: number) =>
    count === 1 ? 'One place needs attention.' : `${count} places need attention.`,
  loading: 'Asking all places…',
  search: 'Search all places',
  searchExample: 'a device, a rule, a MAC address, a place',
  found: (count: number) => (count === 0 ? 'Nothing found.' : `${countWords(count, 'match', 'matches')}:`),
  atPlace: (kind: string, place: string) => `${kind} at ${place}`,
  blockedOf: (blocked: number, devices: number) =>
    devices === 0 ? 'no devices yet' : `${blocked} of ${devices} blocked`,
  nextChange: (when: string, city: string) => `next change ${when} (${city})`,
  noChange: 'no change planned',
  requests: (count: number) => countWords(count, 'request'),
  unconnectedPlace: 'no gateway connected',
  simulated: 'made-up network',
  pending: 'contacting the gateway',
  away: 'the gateway does not answer',
  refused: 'the gateway refuses the policy',
  inForce: 'up to date',
  here: 'open now',
  add: 'Add a place',
  addHow:
    'A place is another network with a gateway of its own: its devices, schedules, rules and people are apart from those here.',
  addAnother:
    'Do you look after another network? It can have a place of its own here, with its own gateway and people.',
  name: 'Name',
  nameExample: 'Second workshop',
  timeZone: 'Time zone',
  added: (name: string) => `${name} was added.`,
  open: (name: string) => `Open ${name}`,
  remove: 'Remove',
  removeOne: (name: string) => `Remove ${name}`,
  removeEffect: (name: string) =>
    `Everything stored for ${name} is deleted: devices, schedules, rules, history and people. Its gateway goes on with the rules that it has. This cannot be undone.`,
  removeNow: (name: string) => `Remove ${name} for good`,
  cancel: 'Cancel',
  copyTo: 'Copy to other places',
  copyTitle: (name: string) => `Copy “${name}” to other places`,
  copyHow:
    'What is saved in the draft is copied into the draft of each place. An entry of the same name is replaced; nothing is applied.',
  copyNow: (count: number) => (count === 0 ? 'Copy' : `Copy to ${countWords(count, 'place')}`),
  does: {
    add: 'It is not there yet and will be added.',
    replace: 'One of this name is there and will change:',
    nothing: 'The same is there already.',
  } satisfies Record<CopyAnswer['does'], string>,
  copied: (place: string) => `Copied into the draft of ${place}.`,
  reviewThere: 'Review and apply it there',
  close: 'Close',
  isMine: 'I have an account here already',
}
