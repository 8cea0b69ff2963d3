import fc from 'fast-check'
import { expect, test } from 'vitest'
import { readDestination } from '../destination/destination.ts'
import { readSpoken } from '../time/spoken.ts'
import { readDuration } from '../time/duration.ts'
import { readWeek } from '../time/week.ts'
import { readAddresses } from './addresses.ts'
import { readCatalogue } from './app-catalogue.ts'
import { readCalendar } from './icalendar.ts'
import { readPolicyFile } from './policy-file.ts'
import { readSites } from './site-list.ts'

/** Every reader of what people paste, type or drop. */
const READERS: Readonly<Record<string, (text: string) => unknown>> = {
  addresses: (text) => readAddresses(text),
  devices: (text) => readAddresses(`name,adapters\n${text}`),
  sites: (text) => readSites(text),
  policy: (text) => readPolicyFile(text),
  catalogue: (text) => readCatalogue(text, []),
  calendar: (text) => {
    try {
      return readCalendar(`BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\n${text}\r\nEND:VEVENT\r\nEND:VCALENDAR`)
    } catch {
      return null
    }
  },
  moment: (text) => [readSpoken(text, 'Europe/Lisbon', 0), readDuration(text)],
  week: (text) => readWeek(text),
  destination: (text) => readDestination(text),
}
/** Pieces that make texts which an expression tries in many ways. */
const PIECES = [
  ' ',
  '.',
  '. ',
  ' .',
  '-',
  '- ',
  '[',
  '{',
  '"',
  "'",
  ':',
  ': ',
  'a',
  'a: ',
  '\t',
  '\n',
  '\n  ',
  '0',
  '02:',
  '1.',
  '*',
  '&a ',
  '!',
  '#',
  ';',
  ',',
  '\\',
  '/',
  '@',
  '(',
  'Mo ',
  '2 h ',
  'x.example,',
  '\r',
  '? ',
  '%',
  '|',
  '>',
]

test.each(Object.keys(READERS))(
  'the time to read %s grows no faster than what is read, whatever that is',
  (name) => {
    const read = READERS[name]!
    const steps = (text: string) => {
      const begun = performance.now()
      read(text)
      return performance.now() - begun
    }
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom(...PIECES), { minLength: 1, maxLength: 3 }),
        fc.constantFrom('', 'a', ' x', '\n'),
        (pieces, end) => {
          const piece = pieces.join('')
          const of = (length: number) => piece.repeat(Math.ceil(length / piece.length)).slice(0, length) + end
          // Eight times as much may take some sixteen times as long, and more on a busy machine; a square of
          // it would take sixty-four. What takes a moment is no matter.
          const [short, long] = [
            Math.min(steps(of(8000)), steps(of(8000))),
            Math.min(steps(of(64_000)), steps(of(64_000))),
          ]
          expect({ piece, end, grows: long > 800 && long > 40 * short }).toEqual({ piece, end, grows: false })
        },
      ),
      { numRuns: 25 },
    )
  },
)
