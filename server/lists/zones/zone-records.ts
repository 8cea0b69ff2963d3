import type { Answer, SoaAnswer } from 'dns-packet'

/** A copy of a zone: its serial, and its records as lines "owner type data", owners relative to the zone. */
export interface ZoneCopy {
  readonly serial: number
  readonly lines: readonly string[]
}

/** The most records of a zone, and the most characters of all together. */
const MAX_ZONE = { records: 2_000_000, characters: 128_000_000 }

/** Says that records are not those of a transfer; a transfer of the whole zone may help. */
export class ZoneFault extends Error {}

/** Says that a zone is larger than the limit. */
export class ZoneTooLarge extends Error {}

/**
 * Puts the records of a zone transfer together, whole (RFC 5936) or as changes to the copy before (RFC 1995).
 */
export class ZoneRecords {
  #lines: Set<string>
  #serial: number | null = null
  /**
   * The kind of the answer: not known yet, the whole zone, or removed and added records in turn.
   */
  #part: 'first' | 'whole' | 'gone' | 'new' = 'first'
  /** The serial up to which changes were read. */
  #reached: number | null = null
  #isEnded = false
  #characters = 0

  constructor(
    private readonly zone: string,
    private readonly before: ZoneCopy | null,
    private readonly most = MAX_ZONE,
  ) {
    this.#lines = new Set()
  }

  /** Whether the last record was read. */
  get isEnded(): boolean {
    return this.#isEnded
  }

  /** The zone as it is now. */
  get copy(): ZoneCopy {
    return { serial: this.#serial!, lines: [...this.#lines] }
  }

  /**
   * Takes the next record.
   *
   * @throws ZoneFault
   */
  take(record: Answer): void {
    if (this.#isEnded) throw new ZoneFault('records follow the end of the zone')
    const isStart = record.type === 'SOA' && nameOf(record.name) === this.zone
    if (this.#serial === null) {
      if (!isStart) throw new ZoneFault('the answer does not begin with the zone’s SOA record')
      this.#serial = (record as SoaAnswer).data.serial!
      this.#isEnded = this.#serial === this.before?.serial
      if (this.#isEnded) this.#lines = new Set(this.before!.lines)
      return
    }
    if (isStart) return this.#takeStart((record as SoaAnswer).data.serial!)
    if (this.#part === 'first') this.#part = 'whole'
    const line = lineOf(record, this.zone)
    if (line === null) return
    this.#characters += line.length
    if (this.#lines.size >= this.most.records || this.#characters > this.most.characters)
      throw new ZoneTooLarge(
        `the zone is larger than ${this.most.records} records or ${this.most.characters / 1e6} million characters`,
      )
    if (this.#part !== 'gone') this.#lines.add(line)
    else if (!this.#lines.delete(line)) throw new ZoneFault(`it deletes ${line}, which was not there`)
  }

  #takeStart(serial: number): void {
    if (this.#part === 'whole') {
      this.#isEnded = true
      return
    }
    if (this.#part === 'first') {
      // A zone without records of its own: its end follows its beginning.
      if (serial === this.#serial) {
        this.#isEnded = true
        return
      }
      if (serial !== this.before?.serial)
        throw new ZoneFault(`it goes on from ${serial}, which is not known here`)
      this.#lines = new Set(this.before.lines)
      this.#part = 'gone'
      return
    }
    if (this.#part === 'gone') {
      this.#reached = serial
      this.#part = 'new'
      return
    }
    if (serial === this.#serial && this.#reached === serial) this.#isEnded = true
    this.#part = 'gone'
  }
}

/** A record as a line of a zone file (RFC 1035, section 5); `null` = it is the zone's own. */
function lineOf({ name, type, ...rest }: Answer, zone: string): string | null {
  const owner = nameOf(name)
  if (owner === zone) return null
  if (!owner.endsWith(`.${zone}`)) throw new ZoneFault(`${owner} is not in the zone ${zone}`)
  const { data } = rest as { data?: unknown }
  const said = typeof data === 'string' ? nameOf(data) : 'other'
  const target = type === 'CNAME' && said !== '' ? `${said}.` : said || '.'
  return `${owner.slice(0, -zone.length - 1)} ${type} ${target}`
}

const nameOf = (name: string) => name.toLowerCase().replace(/\.$/, '')
