import { readAddresses } from '../../core/formats/addresses.ts'
import type { Reading } from '../../core/formats/reading.ts'

export type IntakeAnswer = { readonly progress: number } | { readonly reading: Reading } | { readonly fault: string }

self.onmessage = async ({ data }: MessageEvent<string | File>) => {
  const tell = (answer: IntakeAnswer) => self.postMessage(answer)
  try {
    const text = typeof data === 'string' ? data : await data.text()
    tell({ reading: readAddresses(text, progress => tell({ progress })) })
  } catch (error) {
    tell({ fault: error instanceof Error ? error.message : String(error) })
  }
}
