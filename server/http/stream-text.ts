import { once } from 'node:events'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import type { H3Event } from 'h3'

/** The number of characters that are written at a time. */
const PART_CHARS = 32_768

/**
 * Answers with parts as fast as they are read, and makes no more of them when the client goes away. An error
 * before the first part is thrown while the answer can still be another.
 */
export async function streamParts(
  event: H3Event,
  parts: Iterable<Buffer> | AsyncIterable<string>,
): Promise<void> {
  const all = Readable.from(parts)
  await once(all, 'readable')
  event._handled = true
  await pipeline(all, event.node.res).catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'ERR_STREAM_PREMATURE_CLOSE') throw error
  })
}

/** Answers with a long text likewise, so that of each answer only a part waits. */
export const streamText = (event: H3Event, text: string): Promise<void> => streamParts(event, partsOf(text))

/** Yields the text of a JSON array (RFC 8259), element by element. */
export async function* arrayText(elements: AsyncIterable<unknown>): AsyncGenerator<string> {
  let before = '['
  for await (const element of elements) {
    yield before + JSON.stringify(element)
    before = ','
  }
  yield before === '[' ? '[]' : ']'
}

function* partsOf(text: string): Generator<Buffer> {
  for (let from = 0; from < text.length;) {
    let end = Math.min(from + PART_CHARS, text.length)
    // The two halves of a character stay together (UTF-16).
    if (end < text.length && (text.charCodeAt(end - 1) & 0xfc00) === 0xd800) end++
    yield Buffer.from(text.slice(from, end))
    from = end
  }
}
