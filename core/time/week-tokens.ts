/** Why a text is no week: the place in the text (0-based, half-open) and what to write instead. */
export interface TextFault {
  readonly from: number
  readonly until: number
  readonly message: string
}

/** The result of a reader of text: the value, or the first fault. */
export type Read<T> = { readonly value: T } | { readonly fault: TextFault }

/** One token a match: blanks, 24/7, off, a day, a time, a mark, or what belongs nowhere. */
const TOKEN = /\s+|(24\/7)|(off)(?![a-z])|(mo|tu|we|th|fr|sa|su)(?![a-z])|(\d+:\d+)|([-,;])|([^\s,;-]+)/gi

/** A part of a week's text, and where it stands in it (0-based, half-open). */
export interface Token {
  readonly kind: '24/7' | 'off' | 'day' | 'time' | '-' | ',' | ';' | 'end'
  readonly text: string
  readonly from: number
  readonly until: number
}

/** Says that a text does not fit; it never leaves `attempt`. */
export class Fault extends Error {
  constructor(readonly fault: TextFault) {
    super(fault.message)
  }
}

/** The tokens of a text, taken one after the other. */
export class Tokens {
  private readonly tokens: readonly Token[]
  private at = 0

  constructor(text: string) {
    this.tokens = [...tokensOf(text)]
  }

  /** The next token, which stays. */
  peek(): Token {
    return this.tokens[this.at]!
  }

  /** Takes the next token. */
  next(): Token {
    return this.tokens[this.at++]!
  }

  /** Takes the next token where it is of a kind; returns whether it was. */
  take(kind: Token['kind']): boolean {
    const taken = this.peek().kind === kind
    if (taken) this.at++
    return taken
  }

  /**
   * Takes the next token, which has to be of a kind.
   *
   * @throws Fault with the message where it is not
   */
  expect(kind: Token['kind'], message: string): Token {
    const token = this.peek()
    if (token.kind === kind) return kind === 'end' ? token : this.next()
    throw new Fault({
      from: token.from,
      until: token.until,
      message:
        token.kind === 'end'
          ? `The text ends too early. ${message}`
          : `“${token.text}” does not fit here. ${message}`,
    })
  }
}

function* tokensOf(text: string): Generator<Token> {
  for (const match of text.matchAll(TOKEN)) {
    const [all, always, off, day, time, mark, other] = match
    const from = match.index
    const until = from + all.length
    if (other)
      throw new Fault({
        from,
        until,
        message: `“${other}” does not belong in a week. Days are Mo Tu We Th Fr Sa Su, times HH:MM-HH:MM.`,
      })
    let kind: Token['kind'] | undefined
    if (always) kind = '24/7'
    else if (off) kind = 'off'
    else if (day) kind = 'day'
    else if (time) kind = 'time'
    else kind = mark as Token['kind'] | undefined
    if (kind) yield { kind, text: all, from, until }
  }
  yield { kind: 'end', text: '', from: text.length, until: text.length }
}

/** The longest text of a week, in UTF-16 code units. */
const MAX_WEEK_CHARS = 5000

/** Reads a text by its tokens; a Fault that is thrown on the way becomes the answer. */
export function attempt<T>(text: string, read: (tokens: Tokens) => T): Read<T> {
  if (text.length > MAX_WEEK_CHARS)
    return {
      fault: {
        from: MAX_WEEK_CHARS,
        until: text.length,
        message: `It is longer than ${MAX_WEEK_CHARS} characters.`,
      },
    }
  try {
    return { value: read(new Tokens(text)) }
  } catch (error) {
    if (error instanceof Fault)
      return { fault: { from: error.fault.from, until: error.fault.until, message: error.fault.message } }
    throw error
  }
}
