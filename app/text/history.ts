import { plural } from '../../core/words/count.ts'

/** The texts of the page of history: revisions, comparison, past overrides, the policy as a file. */
export const historyText = {
  parts: 'Parts of the history',
  whoDidWhat: 'Who did what',
  noEndSet: 'no end set',
  until: (when: string) => `until ${when}`,
  overrideEnded: (whom: string, wasAllowed: boolean) =>
    `${whom}: no longer ${wasAllowed ? 'allowed' : 'blocked'} by an override`,
  moreAdded: (whom: string, amount: string) => `${whom}: ${amount} more`,
  moreTakenBack: (whom: string, amount: string) => `${whom}: ${amount} more taken back`,
  allowedInstead: (whom: string, isAllowed: boolean, end: string) =>
    `${whom}: ${isAllowed ? 'allowed' : 'blocked'} ${end} instead`,
  partFor: (what: string, whom: string) => `${what} for ${whom}`,
  pastOverrides: 'Overrides, the latest first',
  loadingOverrides: 'Loading overrides…',
  noOverridesYet: 'No overrides yet. Make one on the board, from any device or group.',
  by: (author: string) => `by ${author}`,
  showMore: 'Show more',
  fileSame: 'The file is the same as the draft.',
  isNowTheDraft: (name: string) => `${name} is now the draft.`,
  exportTheDraft: 'Export the draft: [[JSON]] [[YAML]]',
  importFileAsDraft: 'Import a file as the draft: [[Choose file]] or drop a file here.',
  pageTitle: 'History · Kairostat',
  revision: (number: number) => `revision ${number}`,
  theDraft: 'the draft',
  liveRevision: (number: number, when: string, author: string) =>
    `Revision ${number} is live, applied on ${when} by ${author}.`,
  nothingApplied: 'Nothing has been applied yet.',
  revisionAgain: (number: number) => `Revision ${number} again`,
  restored: (number: number, as: number, isInForce: boolean) =>
    `Revision ${number} is restored as revision ${as}${isInForce ? '' : ', and sent to the gateway when it answers'}.`,
  draftSame: 'The draft is the same already.',
  draftIsRevision: (number: number) => `The draft is now revision ${number}.`,
  revisions: 'Revisions',
  loadingRevisions: 'Loading revisions…',
  whatItChanged: 'What it changed',
  first: 'The first one',
  compareWithDraft: 'Compare with draft',
  editAsDraft: 'Edit as draft',
  restore: 'Restore…',
  restoreEffect: (number: number) =>
    `What revision ${number} said counts again at once, on all devices it names.`,
  setsDraft: 'Set the draft to it, too',
  draftReplaced: (waiting: number) =>
    waiting === 0
      ? 'The draft is then the same as what is live.'
      : `${waiting} ${plural(waiting, 'change', 'changes')} that ${plural(waiting, 'is', 'are')} not live ${plural(waiting, 'goes', 'go')} from the draft. Undo brings ${plural(waiting, 'it', 'them')} back.`,
  draftKept: 'The draft stays as it is: the next “Apply changes” brings back what this undoes.',
  revisionsUnknown: 'The revisions could not be loaded.',
  tryAgain: 'Try again',
  restoreNow: 'Restore now',
  cancel: 'Cancel',
  comparison: 'Comparison',
  compareFrom: 'Compare from',
  compareTo: 'Compare to',
  loadingBothRevisions: 'Loading both revisions…',
  fromTo: 'From [[before]] to [[after]]',
  overrideMade: (whom: string, isAllowed: boolean, end: string) =>
    `${whom} ${isAllowed ? 'allowed' : 'blocked'} ${end}`,
}
