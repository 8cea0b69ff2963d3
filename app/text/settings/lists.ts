import { countWords } from '../../../core/words/count.ts'
import type { ListChange } from '../../../protocol/list-source.ts'

const changeWords = ({ added, removed }: ListChange) =>
  `+${added.toLocaleString('en')}, −${removed.toLocaleString('en')}`

/** The texts about lists that are refreshed from a source. */
export const listsText = {
  source: 'Source',
  add: 'Refresh it from an address',
  how: 'The sites then come from there, and go live by themselves.',
  address: 'Address of the list',
  addressExample: 'https://lists.bindery.example/video.txt or dns://192.0.2.53/rpz.bindery.example',
  key: 'Key of the zone transfer (TSIG)',
  keyHow: (stored: string) =>
    stored === ''
      ? 'As algorithm:name:secret. Leave empty if the server asks for none.'
      : `The key “${stored}” is stored; leave empty to keep it.`,
  keyExample: 'hmac-sha256:bindery:…',
  howOften: 'How often',
  every: (hours: number) => {
    if (hours === 168) return 'every week'
    if (hours === 24) return 'every day'
    return hours === 1 ? 'every hour' : `every ${hours} hours`
  },
  share: 'Review changes above (%)',
  inside: 'It may lead to an address of the local network',
  save: 'Save and refresh',
  cancel: 'Cancel',
  change: 'Change source',
  remove: 'Remove source',
  removeAnyway: 'Remove it: the sites stay',
  andMore: (count: number) => `and ${count.toLocaleString('en')} more`,
  refreshNow: 'Refresh now',
  fromSource: (count: number) => `${countWords(count, 'site')} from its source.`,
  notAskedYet: 'Not asked yet.',
  checked: (when: string) => `Checked ${when}.`,
  changed: (when: string, change: ListChange) => `Last change ${when}: ${changeWords(change)}.`,
  unchanged: 'No change so far.',
  notRefreshed: (trouble: string) => `Not refreshed, the last good list stays: ${trouble}`,
  waits: (change: ListChange) => `A refresh waits for review (${changeWords(change)}).`,
  use: 'Use it',
  decline: 'Decline',
  waiting: 'waits for review',
  failed: 'not refreshed',
  refreshed: (when: string) => `refreshed ${when}`,
}
