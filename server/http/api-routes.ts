import { ENTRY_KINDS, KINDS } from '../../core/policy/kinds.ts'
import type * as forms from '../../protocol/forms.ts'
import type { Need } from '../../protocol/roles.ts'

/**
 * A route as it is described: what it does, what it takes (a form of `protocol/forms.ts`) and what it answers,
 * in words.
 */
export interface RouteDescription {
  readonly summary: string
  readonly body?: keyof typeof forms
  readonly query?: keyof typeof forms
  /** The size of its body, where that is not the usual one. */
  readonly takes?: keyof typeof BODY
  /** Whether it may take long or answer with much: of these, one account has but a few at a time. */
  readonly heavy?: true
  readonly answers: string
  /** The right that it needs, where that is not `see` to read and `edit` to change. */
  readonly needs?: Need
  readonly open?: true
  /** Whether a token for what is live may be used. */
  readonly token?: true
  /** Whether no token may be used, whatever its role: it concerns who is signed in, or who may sign in. */
  readonly session?: true
  readonly type?: string
  /** Whether it concerns all places, and is a route of the first. */
  readonly first?: true
}

/**
 * The longest body: of a route that may be asked by anybody, of most, and of one that takes lists or a
 * policy, in bytes.
 */
export const BODY = { open: 16_384, usual: 1_000_000, lists: 64_000_000 } as const

const MADE =
  'The number of the step by which it can be undone (`step`; `null` = nothing changed), and the `id` or `ids` of what was put.'

/** The routes that every kind of entries has. */
const entryRoutes = KINDS.flatMap((kind): [string, RouteDescription][] => {
  const { path, word } = ENTRY_KINDS[kind]
  const body = `${kind}Form` as const
  const a = word === 'app' ? 'an' : 'a'
  const cost = kind === 'siteList' ? ({ takes: 'lists', heavy: true } as const) : {}
  return [
    [`POST /api/${path}`, { summary: `Adds ${a} ${word} to the draft.`, body, ...cost, answers: MADE }],
    [
      `PUT /api/${path}/{id}`,
      {
        summary: `Replaces ${a} ${word} of the draft; with If-Match only while it is as the sender knew it.`,
        body,
        ...cost,
        answers: MADE,
      },
    ],
    [
      `DELETE /api/${path}/{id}`,
      {
        summary:
          kind === 'rule'
            ? 'Deletes a rule from the draft.'
            : `Deletes ${a} ${word} from the draft; \`?instead=ID\` puts another in its place where it is used, \`?instead=\` removes it there.`,
        answers: MADE,
      },
    ],
  ]
})

/** Every route, by "METHOD path". */
export const ROUTES: Readonly<Record<string, RouteDescription>> = {
  'GET /api/health': { summary: 'Says that the server runs.', answers: '`{ ok: true }`', open: true },
  'GET /api/openapi': {
    summary: 'This description, as an OpenAPI document.',
    answers: 'An OpenAPI 3.1 document.',
  },
  'POST /api/setup': {
    takes: 'open',
    summary: 'Sets Kairostat up: the administrator’s account and the network, with the code of the console.',
    body: 'setUpForm',
    answers: 'The name of the account; the session is a cookie.',
    open: true,
  },
  'GET /api/session': {
    summary: 'Who is signed in.',
    answers: 'The account (`null` = nobody), and whether Kairostat is set up.',
    open: true,
  },
  'POST /api/session': {
    takes: 'open',
    summary: 'Signs in.',
    body: 'signInForm',
    answers: 'The name of the account; the session is a cookie.',
    open: true,
  },
  'DELETE /api/session': {
    summary: 'Signs out; with `?everywhere=true` on all devices.',
    needs: 'see',
    session: true,
    answers: 'Nothing.',
  },
  'GET /api/certificate': {
    summary: 'The certificate with which Kairostat is served.',
    answers:
      'Its fingerprint (SHA-256), until when it is valid, and whether Kairostat made it; `null` without TLS.',
  },
  'PUT /api/account/password': {
    takes: 'open',
    summary: 'Changes one’s own password and ends all other sessions.',
    body: 'passwordForm',
    needs: 'see',
    session: true,
    answers: 'Nothing.',
  },
  'GET /api/account/second-factor': {
    summary: 'Whether one’s own second factor is on.',
    session: true,
    answers: 'Whether it is on, and how many recovery codes are left.',
  },
  'POST /api/account/second-factor': {
    takes: 'open',
    summary:
      'Makes a secret for an authenticator app, by one’s password; it counts once a code of it was sent.',
    body: 'ownPasswordForm',
    needs: 'see',
    session: true,
    answers: 'The `secret`, and its `uri`.',
  },
  'PUT /api/account/second-factor': {
    takes: 'open',
    summary: 'Turns one’s second factor on, by a code of the new secret.',
    body: 'codeForm',
    needs: 'see',
    session: true,
    answers: 'The recovery `codes`, told this once.',
  },
  'DELETE /api/account/second-factor': {
    takes: 'open',
    summary: 'Turns one’s second factor off, by one’s password.',
    body: 'ownPasswordForm',
    needs: 'see',
    session: true,
    answers: 'Nothing.',
  },
  'GET /api/sessions': {
    summary: 'One’s own sessions.',
    session: true,
    answers: 'Where and when each began and was used last, and which one asks.',
  },
  'DELETE /api/sessions/{id}': {
    summary: 'Ends a session of one’s own.',
    needs: 'see',
    session: true,
    answers: 'Nothing.',
  },
  'GET /api/people': {
    summary: 'Who may use Kairostat, and who is invited to.',
    needs: 'administer',
    answers: 'The accounts with their roles, and the invitations that wait.',
  },
  'PUT /api/people/{id}': {
    summary: 'Gives an account a role, and disables or enables it.',
    body: 'personForm',
    needs: 'administer',
    session: true,
    answers: 'Nothing.',
  },
  'DELETE /api/people/{id}': {
    summary: 'Deletes an account.',
    needs: 'administer',
    session: true,
    answers: 'Nothing.',
  },
  'DELETE /api/people/{id}/second-factor': {
    summary: 'Turns the second factor of somebody else off.',
    needs: 'administer',
    session: true,
    answers: 'Nothing.',
  },
  'POST /api/invitations': {
    summary: 'Invites somebody to a role; the code is told this once.',
    body: 'invitationForm',
    needs: 'administer',
    session: true,
    answers: 'The `id`, and the `code`, which works once within seven days.',
  },
  'DELETE /api/invitations/{id}': {
    summary: 'Withdraws an invitation.',
    needs: 'administer',
    session: true,
    answers: 'Nothing.',
  },
  'POST /api/join/look': {
    takes: 'open',
    summary: 'Tells to what a code invites.',
    body: 'joinLookForm',
    answers: 'The role, and the name of the network.',
    open: true,
  },
  'POST /api/join': {
    takes: 'open',
    summary: 'Makes the account of who was invited.',
    body: 'joinForm',
    answers: 'The name of the account; the session is a cookie.',
    open: true,
  },
  'GET /api/audit': {
    summary: 'The audit log: who did what, searched.',
    query: 'auditForm',
    needs: 'administer',
    answers: 'At most 200 entries, the latest first; `before` asks for earlier ones.',
  },
  'GET /api/audit/file': {
    heavy: true,
    summary: 'The entries of the audit log that match, as CSV.',
    query: 'auditForm',
    needs: 'administer',
    answers: 'Every entry that matches.',
    type: 'text/csv',
  },
  'PUT /api/audit/kept': {
    summary: 'Sets for how many days the audit log is kept.',
    body: 'auditKeptForm',
    needs: 'administer',
    answers: 'Nothing.',
  },
  'GET /api/notices': {
    summary: 'Where one’s own notices go, and which.',
    session: true,
    answers: 'The address and the kinds.',
  },
  'PUT /api/notices': {
    summary: 'Says where one’s own notices go, and which.',
    body: 'noticesForm',
    needs: 'see',
    session: true,
    answers: 'Nothing.',
  },
  'GET /api/mail-server': {
    summary: 'The mail server that takes notices.',
    needs: 'administer',
    first: true,
    answers: 'The server without its password (`null` = none), and why the last mail could not be sent.',
  },
  'PUT /api/mail-server': {
    summary: 'Takes another mail server, or none.',
    body: 'mailServerForm',
    needs: 'administer',
    first: true,
    answers: 'Nothing.',
  },
  'POST /api/mail-server': {
    summary: 'Sends a test message by a mail server, without taking it.',
    body: 'mailTestForm',
    needs: 'administer',
    first: true,
    answers: 'Nothing; `not-sent` with the server’s reason.',
  },
  'GET /api/webhooks': {
    summary: 'The webhooks that get notices.',
    needs: 'administer',
    answers: 'The webhooks without their secrets, with what waits and why the last notice could not be sent.',
  },
  'POST /api/webhooks': {
    summary: 'Adds a webhook; its secret is told this once.',
    body: 'webhookForm',
    needs: 'administer',
    answers: 'The `id` and the `secret`.',
  },
  'POST /api/webhooks/{id}': {
    summary: 'Sends a test notice to a webhook.',
    needs: 'administer',
    answers: 'Nothing; `not-sent` with the reason.',
  },
  'DELETE /api/webhooks/{id}': { summary: 'Deletes a webhook.', needs: 'administer', answers: 'Nothing.' },
  'GET /api/log-servers': {
    summary: 'The servers that take messages of syslog.',
    needs: 'administer',
    answers: 'The log servers, with why the last messages could not be sent.',
  },
  'POST /api/log-servers': {
    summary: 'Adds a log server.',
    body: 'logServerForm',
    needs: 'administer',
    answers: 'The `id`.',
  },
  'POST /api/log-servers/{id}': {
    summary: 'Sends a test message to a log server.',
    needs: 'administer',
    answers: 'Nothing; `not-sent` with the reason. Over UDP nobody says whether it arrived.',
  },
  'DELETE /api/log-servers/{id}': {
    summary: 'Deletes a log server.',
    needs: 'administer',
    answers: 'Nothing.',
  },
  'GET /api/transfer-keys': {
    summary: 'The keys by which DNS servers fetch live lists by zone transfer.',
    needs: 'administer',
    answers: 'The keys without their secrets, and the port on which zones are served (`null` = none is).',
  },
  'POST /api/transfer-keys': {
    summary: 'Makes a key for zone transfers (TSIG); its secret is told this once.',
    body: 'transferKeyForm',
    needs: 'administer',
    answers: 'The `algorithm` and the `secret` in base64.',
  },
  'DELETE /api/transfer-keys/{id}': {
    summary: 'Deletes a key for zone transfers, by its name.',
    needs: 'administer',
    answers: 'Nothing.',
  },
  'GET /api/backup': {
    heavy: true,
    summary: 'Everything that is stored, as one file.',
    needs: 'administer',
    first: true,
    answers: 'A gzipped backup file.',
    type: 'application/gzip',
  },
  'GET /api/places': {
    summary: 'How each place stands that one may use.',
    session: true,
    answers:
      'The places: role, gateway, alarms, requests, devices, how many are blocked, and the next change.',
  },
  'GET /api/places/search': {
    heavy: true,
    summary: 'Searches the drafts of the places that one may edit.',
    query: 'findForm',
    session: true,
    answers: 'At most 20 entries of each place: `place`, `kind`, `id`, `name`.',
  },
  'POST /api/places': {
    summary: 'Adds a place, of which one is the administrator.',
    body: 'placeForm',
    needs: 'administer',
    session: true,
    first: true,
    answers: 'Its `id`, which is part of its addresses: `/api/places/{place}/…`.',
  },
  'DELETE /api/places/{id}': {
    summary: 'Removes a place with all that is stored of it.',
    needs: 'administer',
    session: true,
    first: true,
    answers: 'Nothing.',
  },
  'POST /api/copies/review': {
    heavy: true,
    summary: 'Says what copying entries of another place would do to the draft.',
    body: 'copyForm',
    session: true,
    answers: 'For each entry what it `does` (`add`, `replace`, `nothing`), and the texts before and after.',
  },
  'POST /api/copies': {
    heavy: true,
    summary: 'Copies entries of another place into the draft; an entry of the same name is replaced.',
    body: 'copyForm',
    session: true,
    answers: 'The number of the step by which it can be undone (`step`; `null` = nothing changed).',
  },
  'GET /api/events': {
    summary:
      'Tells which topic has changed: `draft`, `live`, `gateway`, `sightings`, `evidence`, `requests` or `session`.',
    session: true,
    answers:
      'A stream of server-sent events: first `hello` with who is signed in, then each the name of a topic.',
    type: 'text/event-stream',
  },
  'PUT /api/place': {
    summary: 'Names the network and its time zone in the draft.',
    body: 'placeForm',
    answers: MADE,
  },
  'GET /api/draft': { heavy: true, summary: 'The draft.', answers: 'A policy document (docs/policy.md).' },
  'PUT /api/draft': {
    takes: 'lists',
    heavy: true,
    summary: 'Replaces the whole draft by a policy document.',
    body: 'takeInForm',
    answers: MADE,
  },
  'GET /api/draft/parts': {
    heavy: true,
    summary: 'What of the draft is not as the sender’s mark of it says.',
    query: 'partsForm',
    answers: 'The parts that changed, long lists without their sites, and the mark now.',
  },
  'GET /api/sites/{id}': {
    heavy: true,
    summary: 'The sites of a long list, by their digest.',
    answers: 'The sites, which never change.',
  },
  'GET /api/draft/steps': {
    summary: 'Which edits of the draft can be undone and redone.',
    answers: 'Their numbers (`null` = none), and `titles` with what each is about.',
  },
  'POST /api/draft/steps': {
    summary: 'Undoes or redoes an edit of the draft.',
    body: 'stepForm',
    answers: 'The edits that can be undone and redone now.',
  },
  'POST /api/draft/discard': {
    summary: 'Discards changes of the draft, which then says there what is live.',
    body: 'discardForm',
    answers: 'The number of the edit, which can be undone.',
  },
  ...Object.fromEntries(entryRoutes),
  'POST /api/devices/many': {
    takes: 'lists',
    heavy: true,
    summary: 'Adds, replaces and deletes devices, all or none.',
    body: 'deviceEditsForm',
    answers: MADE,
  },
  'POST /api/apps/many': {
    takes: 'lists',
    heavy: true,
    summary: 'Adds and replaces apps, all or none.',
    body: 'appEditsForm',
    answers: MADE,
  },
  'POST /api/rules/many': {
    takes: 'lists',
    heavy: true,
    summary: 'Adds, replaces and deletes rules, all or none.',
    body: 'ruleEditsForm',
    answers: MADE,
  },
  'PUT /api/rules/order': {
    summary: 'Puts the rules into another order; If-Match names the order as the sender knew it.',
    body: 'orderForm',
    answers: MADE,
  },
  'GET /api/live': {
    heavy: true,
    summary: 'The live policy with its overrides, and its revision.',
    query: 'liveForm',
    answers:
      'The policy, its digest and revision. With `lists=brief` a list of 500 sites or more has none of them, and `long` says their `digest` and `count`.',
    token: true,
  },
  'GET /api/history': {
    heavy: true,
    summary: 'What was live since an instant.',
    query: 'sinceForm',
    answers: 'The policies with the time for which each was live.',
  },
  'GET /api/revisions': {
    summary: 'Every revision, the latest first.',
    answers: 'Number, digest, author, note and time of each, and how many entries of each kind it changed.',
  },
  'GET /api/revisions/{id}': {
    heavy: true,
    summary: 'The policy of a revision.',
    answers: 'A policy document.',
  },
  'POST /api/revisions': {
    heavy: true,
    summary: 'Applies the draft, or restores an earlier revision.',
    body: 'putLiveForm',
    answers: 'The revision, and how the gateway stands to it.',
  },
  'GET /api/overrides': {
    summary: 'What was done to overrides by whom, the latest first.',
    answers: 'The acts.',
  },
  'POST /api/overrides': {
    summary: 'Makes an override; it takes effect at once.',
    needs: 'help',
    body: 'overrideForm',
    answers: 'Its id, and how the gateway stands.',
  },
  'PUT /api/overrides/{id}': {
    summary: 'Moves the end of an override.',
    needs: 'help',
    body: 'endForm',
    answers: 'How the gateway stands.',
  },
  'DELETE /api/overrides/{id}': {
    summary: 'Ends an override now.',
    needs: 'help',
    answers: 'How the gateway stands.',
  },
  'GET /api/saved-acts': {
    summary: 'The acts that were saved under a name.',
    answers: 'The acts, with who saved them.',
  },
  'POST /api/saved-acts': {
    summary: 'Saves an act under a name: who is allowed or blocked, what, and for how long.',
    body: 'savedActForm',
    answers: 'Its id.',
  },
  'POST /api/saved-acts/{id}': {
    summary: 'Does a saved act now.',
    needs: 'help',
    answers: 'The id of the override, and how the gateway stands.',
  },
  'DELETE /api/saved-acts/{id}': { summary: 'Deletes a saved act.', answers: 'Nothing.' },
  'GET /api/requests': {
    summary: 'The requests of devices for more time that wait.',
    needs: 'help',
    answers: 'The requests, with the device (`null` = an unknown one); for a helper those of their groups.',
  },
  'PUT /api/requests/{id}': {
    summary: 'Answers a request: grants some minutes, or declines it.',
    body: 'requestAnswerForm',
    needs: 'help',
    answers: 'How the gateway stands.',
  },
  'GET /api/asides': {
    summary: 'The warnings that were dismissed.',
    answers: 'Their marks, with the reason and by whom.',
  },
  'PUT /api/asides/{id}': {
    summary: 'Dismisses a warning with a reason.',
    body: 'dismissalForm',
    answers: 'Nothing.',
  },
  'DELETE /api/asides/{id}': { summary: 'Shows a dismissed warning again.', answers: 'Nothing.' },
  'GET /api/pairing': {
    summary: 'The gateway that was paired by a code, and the code that waits to be typed at one.',
    needs: 'administer',
    answers: 'Its `address` (`null` = none), and `waiting` with `address`, `code` and `until`.',
  },
  'POST /api/pairing': {
    summary: 'Pairs with a gateway by the code that it shows; without one shows a code to type there.',
    body: 'pairGatewayForm',
    needs: 'administer',
    answers: 'As above.',
  },
  'DELETE /api/pairing': {
    summary: 'Disconnects the gateway that was paired by a code, or ends the wait for one.',
    needs: 'administer',
    answers: 'As above.',
  },
  'GET /api/router': {
    summary: 'The router that is driven over SSH, and the commands that let Kairostat in.',
    needs: 'administer',
    answers:
      'The pairing (`null` = none), and the commands to run on the router: for the whole key, or `bound` to what Kairostat sends.',
  },
  'POST /api/router': {
    summary: 'Looks at a router over SSH without changing anything.',
    body: 'routerForm',
    needs: 'administer',
    answers: 'What was found, or why nothing could be.',
  },
  'POST /api/router/let-in': {
    summary: 'Has a router let Kairostat in, by its password, which is stored nowhere.',
    body: 'letInForm',
    needs: 'administer',
    answers: 'What was found on the router then, as above.',
  },
  'PUT /api/router': {
    summary: 'Drives a router over SSH from now on, in the place of the simulated network.',
    body: 'pairingForm',
    needs: 'administer',
    answers: 'How the gateway stands.',
  },
  'DELETE /api/router': {
    summary: 'Drives no router any more, and takes the rules out of it.',
    needs: 'administer',
    answers: 'How the gateway stands.',
  },
  'GET /api/router/start-up': {
    summary: 'What the router that is driven over SSH does when it starts.',
    needs: 'administer',
    answers:
      'Whether the last table is kept on the router (`isKept`), and the `files` that load it: `path`, `mode`, `text`.',
  },
  'PUT /api/router/start-up': {
    summary: 'Writes the start-up file to the router, and keeps the last table there.',
    needs: 'administer',
    answers: 'As above.',
  },
  'DELETE /api/router/start-up': {
    summary: 'Deletes the start-up file and the table from the router.',
    needs: 'administer',
    answers: 'As above.',
  },
  'GET /api/guest-passes': {
    summary: 'The guest passes that wait or were used lately, and how to join the networks.',
    needs: 'edit',
    answers: 'The passes, and the name and key of each Wi-Fi that was given.',
  },
  'POST /api/guest-passes': {
    summary: 'Makes a guest pass: the next unknown device in a network is allowed for a time.',
    body: 'guestPassForm',
    answers: 'Its id.',
  },
  'DELETE /api/guest-passes/{id}': { summary: 'Ends a guest pass that waits.', answers: 'Nothing.' },
  'GET /api/sightings': {
    summary: 'Every MAC address that was seen on the network.',
    answers: 'The addresses with host name, maker and times.',
  },
  'PUT /api/sightings/{id}': {
    summary: 'Ignores an unknown device, or shows it again.',
    body: 'leaveForm',
    answers: 'Nothing.',
  },
  'GET /api/evidence': {
    summary: 'What the gateway counted and saw.',
    answers: 'Counts by device and rule, and the latest connections.',
  },
  'GET /api/lookups': {
    summary: 'The names that were looked up in the last seven days.',
    needs: 'edit',
    answers: 'The names with counts.',
  },
  'GET /api/lookups/search': {
    heavy: true,
    summary: 'Searches DNS look-ups.',
    query: 'searchForm',
    needs: 'edit',
    answers: 'At most 200 runs, the latest first.',
  },
  'GET /api/lookups/learned': {
    heavy: true,
    summary: 'What a device looked up in a span of time, and whether it does so anyway.',
    query: 'learnedForm',
    needs: 'edit',
    answers: 'The names.',
  },
  'GET /api/lookups/refused': {
    summary: 'The names that were blocked most for a device in a span of time.',
    query: 'learnedForm',
    needs: 'edit',
    answers: 'At most five names with counts.',
  },
  'GET /api/usage': {
    heavy: true,
    summary: 'What devices used, by hour or by day.',
    query: 'usageForm',
    needs: 'edit',
    answers: 'Rows by adapter, network and hour or day.',
  },
  'GET /api/usage/file': {
    heavy: true,
    summary: 'What devices used, by hour or by day, as CSV.',
    query: 'usageForm',
    needs: 'edit',
    answers: 'The same rows with the names of devices.',
    type: 'text/csv',
  },
  'GET /api/site-lists/sources': {
    summary: 'Where site lists come from, and what became of that.',
    answers: 'The sources, with when each was asked and what waits for review.',
  },
  'GET /api/site-lists/{id}/file': {
    heavy: true,
    summary: 'A live site list as a file; `token` is for programs that cannot send one in a header.',
    query: 'listFileForm',
    answers: 'The sites as a plain list, a hosts file or a response policy zone, with an ETag.',
    type: 'text/plain',
  },
  'PUT /api/site-lists/{id}/source': {
    summary: 'Sets where a site list comes from, and asks it.',
    body: 'listSourceForm',
    answers: 'Nothing.',
  },
  'DELETE /api/site-lists/{id}/source': {
    summary: 'Takes the source of a site list away; its sites stay.',
    answers: 'Nothing.',
  },
  'POST /api/site-lists/{id}/refresh': {
    summary: 'Asks the source of a site list now.',
    answers: 'Nothing; what became of it stands with the sources.',
  },
  'POST /api/site-lists/{id}/review': {
    summary: 'Uses or declines what waits of a site list.',
    body: 'listReviewForm',
    answers: 'Nothing.',
  },
  'GET /api/allowances': {
    summary: 'What was used of allowances in their periods.',
    answers: 'The instant, and the use of each allowance of which some was used.',
    token: true,
  },
  'GET /api/gateway': {
    summary: 'How the gateway stands to what is live.',
    answers: 'Its state, its last status and alarms.',
  },
  'GET /api/gateway/decision': {
    summary: 'What the gateway itself decides for a MAC address at an instant.',
    query: 'decisionForm',
    answers: 'The decision.',
  },
  'GET /api/gateway/page': {
    summary: 'The page that explains a block, as a device would see it.',
    query: 'pageForm',
    answers: 'The page.',
    type: 'text/html',
  },
  'PUT /api/gateway/settings': {
    summary: 'Changes the settings that the gateway stores itself.',
    body: 'settingsForm',
    needs: 'administer',
    answers: 'How the gateway stands.',
  },
  'PUT /api/gateway/clock': {
    summary: 'Sets the clock of a simulated gateway.',
    body: 'clockForm',
    needs: 'administer',
    answers: 'How the gateway stands.',
  },
  'PUT /api/gateway/trial': {
    summary: 'Begins or ends the trial of a made-up network where no gateway is connected.',
    body: 'trialForm',
    needs: 'administer',
    answers: 'How the gateway stands.',
  },
  'PUT /api/gateway/pretend': {
    summary: 'Makes a simulated network go wrong for a minute.',
    body: 'pretendForm',
    needs: 'administer',
    answers: 'How the gateway stands.',
  },
  'PUT /api/gateway/use': {
    summary: 'Makes a device of a simulated network use an app.',
    body: 'useAppForm',
    needs: 'administer',
    answers: 'Nothing.',
  },
  'GET /api/tokens': {
    summary: 'The tokens by which programs may read what is live.',
    needs: 'administer',
    answers: 'Their names and when they were used.',
  },
  'POST /api/tokens': {
    summary: 'Makes a token, which is told this once.',
    body: 'tokenForm',
    needs: 'administer',
    session: true,
    answers: 'The token.',
  },
  'DELETE /api/tokens/{id}': {
    summary: 'Revokes a token.',
    needs: 'administer',
    session: true,
    answers: 'Nothing.',
  },
  'GET /metrics': {
    summary: 'The gateway’s counters, for Prometheus.',
    answers: 'The text format of Prometheus.',
    token: true,
    type: 'text/plain',
  },
}
