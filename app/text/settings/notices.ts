import type { MailSecurity, NoticeKind } from '../../../protocol/notice.ts'

/** The words for the kinds of notices. */
export const NOTICE_WORDS: Readonly<Record<NoticeKind, string>> = {
  'request': 'A device asks for more time',
  'new-device': 'A new device is on the network',
  'allowance': 'An allowance is used up',
  'list': 'A list waits for review, or could not be refreshed',
  'alarm': 'An alarm of the gateway',
  'gateway-away': 'The gateway does not answer',
  'gateway-back': 'The gateway answers again',
  'backup-failed': 'A backup failed',
  'new-address': 'I sign in from a new address',
}

/** The words for the protection of mail. */
export const SECURITY_WORDS: Readonly<Record<MailSecurity, string>> = {
  tls: 'TLS (mostly port 465)',
  starttls: 'STARTTLS (mostly port 587)',
  none: 'Not protected',
}

/** The texts about notices. */
export const noticesText = {
  title: 'Notices',
  own: 'Your notices',
  ownHow: 'You get one mail in five minutes at most, with everything that happened.',
  address: 'Your mail address',
  noServer: 'No mail server is set, so no mail is sent yet.',
  noServerAsk: 'No mail server is set, so no mail is sent yet. Ask an administrator.',
  save: 'Save',
  saved: 'Your notices are saved.',
  server: 'Mail server',
  host: 'Server name',
  hostExample: 'mail.bindery.example',
  fromExample: 'kairostat@bindery.example',
  urlExample: 'https://hooks.bindery.example/kairostat',
  port: 'Port',
  security: 'Protection',
  user: 'User name',
  password: 'Password',
  passwordStored: 'stored; leave empty to keep it',
  from: 'Sender address',
  test: 'Send a test message',
  testTo: (address: string) => `A test message was sent to ${address}.`,
  testNeeds: 'Enter your own mail address above first: the test message goes there.',
  serverSaved: 'The mail server is saved.',
  removeServer: 'Remove mail server',
  lastTrouble: (trouble: string) => `The last mail could not be sent: ${trouble}. It is tried again.`,
  hooks: 'Webhooks',
  hooksHow: 'Sends notices to a program of yours as JSON, signed with a secret.',
  url: 'Address',
  kinds: 'Which notices',
  add: 'Add webhook',
  secret: 'Secret of the webhook',
  secretHow: 'With this secret, your program can check the signature. It is not shown again.',
  waiting: (count: number, trouble: string) => `${count} waiting. Last try: ${trouble}`,
  testOne: (url: string) => `Send a test to ${url}`,
  testHook: 'Test',
  hookWorks: (url: string) => `${url} took the test notice.`,
  deleteOne: (name: string) => `Delete ${name}`,
  delete: 'Delete',
  reallyDelete: 'Delete: nothing more is sent there',
}
