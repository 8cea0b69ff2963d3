/** Reads everything that a generator yields. */
export async function allOf<T>(all: AsyncIterable<T>): Promise<T[]> {
  const read: T[] = []
  for await (const one of all) read.push(one)
  return read
}
