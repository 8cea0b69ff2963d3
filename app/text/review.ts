import { capital } from '../../core/words/rule.ts'

/** The texts of the review of changes. */
export const reviewText = {
  noDifferences: 'No differences.',
  calculatingTheEffect: 'Calculating the effect…',
  pageTitle: 'Review · Kairostat',
  wrongTime: (words: string) => `${capital(words)}, so schedules would run at the wrong time.`,
  ownDevice: (name: string) =>
    `You are using ${name} right now, and these changes block its internet at times of the coming week. It keeps access to Kairostat.`,
  atOnce: 'at once',
  atTime: (clock: string) => `at ${clock}`,
  confirmed: (number: number, digest: string) =>
    `Revision ${number} is live. The gateway confirmed it (${digest}…).`,
  savedNoGateway: (number: number) =>
    `Revision ${number} is saved, but no gateway is connected. It is sent as soon as you connect one.`,
  savedGatewayAway: (number: number) =>
    `Revision ${number} is saved, but the gateway does not answer. It is sent when the gateway is back; until then the earlier rules apply.`,
  notAnsweredYet: 'it has not answered yet',
  savedNotAccepted: (number: number, trouble: string) =>
    `Revision ${number} is saved, but the gateway has not accepted it: ${trouble}.`,
  review: 'Review',
  showTheBoard: 'Show the board',
  noChanges: '[[No changes]] to apply',
  noChangesWhy:
    'Changes to devices, schedules and rules appear here before they take effect. Earlier revisions are in [[History]].',
  beforeYouApply: 'Before you apply',
  changes: 'Changes',
  later: 'Later',
  laterOf: (words: string) => `Leave for later: ${words}`,
  discard: 'Discard',
  discardOf: (words: string) => `Discard: ${words}`,
  discarded: 'The change is discarded.',
  goesAlong: 'Stays too: it goes with another that you leave for later.',
  forLater: (count: number) => `, ${count} for later`,
  backTo: (number: number) => `Back to revision ${number}`,
  noteOptional: 'Note (optional)',
  applyChanges: 'Apply changes',
  takesEffectAtOnce: 'Takes effect at once on the devices it applies to.',
  devicesWhoseWeekChanges: 'Devices whose week changes',
}
