/** A chain of nft, its lines in order. */
export const chain = (name: string, lines: readonly string[]) =>
  `chain ${name} {\n${lines.map((line) => `${line}\n`).join('')}}`

const elements = (all: readonly string[]) => (all.length > 0 ? `elements = { ${all.join(',\n')} }\n` : '')

/** A map of nft, of a type (nft(8), section SETS AND MAPS); `counts` = each element has a counter. */
export const map = (name: string, type: string, all: readonly string[], counts = false) =>
  `map ${name} { ${type};${counts ? ' counter;' : ''}\n${elements(all)}}`

/** A set of nft. */
export const set = (name: string, type: string, all: readonly string[]) =>
  `set ${name} { ${type};\n${elements(all)}}`
