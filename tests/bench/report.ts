import { sha256 } from '@noble/hashes/sha2'

/** A figure that was measured, with its target. */
export interface Figure {
  readonly name: string
  readonly value: number
  readonly unit: string
  readonly target: string
  readonly met: boolean | null
}

/** The upper or lower target of a figure; neither = it has none. */
export interface Target {
  readonly most?: number
  readonly least?: number
}

/** The time of the reference computation on the machine on which the targets in milliseconds were set. */
const REFERENCE_MS = 250

/** The median time of some runs, in milliseconds, after one that is not counted. */
export function median(runs: number, work: () => unknown): number {
  work()
  const times = Array.from({ length: runs }, () => {
    const begun = performance.now()
    work()
    return performance.now() - begun
  })
  return times.sort((a, b) => a - b)[Math.floor(runs / 2)]!
}

/** Measures the reference computation on this machine: the SHA-256 of 16 MB, in plain JavaScript. */
export function referenceTime(): number {
  const bytes = new Uint8Array(16_000_000).map((_, index) => index & 255)
  return median(5, () => sha256(bytes))
}

/**
 * Prints and keeps figures. Targets in time are scaled by how much slower or faster than the reference this
 * machine is now, so that a slow machine does not fail them.
 */
export class Report {
  readonly figures: Figure[] = []
  readonly #scale: number

  constructor() {
    const reference = referenceTime()
    this.#scale = reference / REFERENCE_MS
    this.add('reference computation', reference, 'ms')
    this.add('by which targets in time are scaled', this.#scale, 'times')
  }

  /** Adds a figure and prints it. */
  add(name: string, value: number, unit: string, { most, least }: Target = {}): void {
    const isTime = unit === 'ms' || unit === 'us' || unit === '%'
    const scaled = (limit: number) => (isTime ? limit * this.#scale : limit)
    let target = '-'
    let met: boolean | null = null
    if (most !== undefined) {
      target = `<= ${round(scaled(most))}`
      met = value <= scaled(most)
    } else if (least !== undefined) {
      target = `>= ${round(least)}`
      met = value >= least
    }
    this.figures.push({ name, value: round(value), unit, target, met })
    const columns = [name.padEnd(62), String(round(value)).padStart(9), unit.padEnd(6), `target ${target}`]
    console.log(`${columns.join(' ')}${met === false ? '   NOT MET' : ''}`)
  }
}

const round = (value: number) => Number(value.toPrecision(4))
