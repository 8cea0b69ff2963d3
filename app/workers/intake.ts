import { errorText } from '../../core/words/error-text.ts'
import { readAddresses } from '../../core/import/addresses.ts'
import { intakeOf, type Intake } from '../../core/import/intake.ts'
import type { Unread } from '../../core/import/reading.ts'
import type { Policy } from '../../core/policy/types.ts'

/** The machines and unread lines that are told one by one; the others are counted. */
export const SHOWN = 200
/** The same for a list of devices that was written here: it comes back whole. */
const LISTED = 5000

/** A text or a file to read, and the draft that it would go into. */
export interface IntakeQuestion {
  readonly source: string | File
  readonly draft: Policy
}

/** The result of reading: only the part that one looks at, since a lease file may name a million machines. */
export interface IntakeSummary {
  readonly format: string
  readonly counts: Readonly<Record<Intake['act'], number>>
  readonly items: readonly Intake[]
  readonly unread: readonly Unread[]
  readonly unreadCount: number
}

export type IntakeAnswer =
  { readonly progress: number } | { readonly summary: IntakeSummary } | { readonly fault: string }

self.onmessage = async ({ data: { source, draft } }: MessageEvent<IntakeQuestion>) => {
  const tell = (answer: IntakeAnswer) => self.postMessage(answer)
  try {
    const reading = readAddresses(typeof source === 'string' ? source : await source.text(), (progress) =>
      tell({ progress }),
    )
    const items = intakeOf(reading, draft)
    const counts = { add: 0, extend: 0, update: 0, known: 0, clash: 0 }
    for (const { act } of items) counts[act]++
    // Machines that need a decision come first: among thousands that are known, the few new ones matter.
    const order = [
      ...items.filter(({ act }) => act !== 'known'),
      ...items.filter(({ act }) => act === 'known'),
    ]
    tell({
      summary: {
        format: reading.format,
        counts,
        items: reading.kind === 'devices' ? order.slice(0, LISTED) : order.slice(0, SHOWN),
        unread: reading.unread.slice(0, SHOWN),
        unreadCount: reading.unread.length,
      },
    })
  } catch (error) {
    tell({ fault: errorText(error) })
  }
}
