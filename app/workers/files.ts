import { errorText } from '../../core/words/error-text.ts'
import { readCatalogue } from '../../core/import/app-catalogue.ts'
import { readCalendar } from '../../core/import/icalendar.ts'
import { readPolicyFile } from '../../core/import/policy-file.ts'

/** The readers of files, by the expected contents. */
const READERS = { calendar: readCalendar, catalogue: readCatalogue, policy: readPolicyFile }
export type FileReaders = typeof READERS

/** A file to read, and what its reader is told besides. */
export interface FileQuestion {
  readonly kind: keyof FileReaders
  readonly file: File
  readonly more: readonly unknown[]
}
export type FileAnswer = { readonly value: unknown } | { readonly fault: string }

self.onmessage = async ({ data: { kind, file, more } }: MessageEvent<FileQuestion>) => {
  const tell = (answer: FileAnswer) => self.postMessage(answer)
  try {
    const read = READERS[kind] as (text: string, ...more: readonly unknown[]) => unknown
    tell({ value: read(await file.text(), ...more) })
  } catch (error) {
    tell({ fault: errorText(error) })
  }
}
