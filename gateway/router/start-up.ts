import { dirname } from 'node:path/posix'
import type { StartUpFile } from '../../protocol/router.ts'
import { ToolFault, type RouterSystem } from '../planes/linux/system.ts'

/**
 * The last table on the router, and how often it is written at most, in milliseconds: flash storage wears
 * out.
 */
const TABLE_FILE = '/etc/kairostat/table.nft'
const WRITE_EVERY = 60_000

const LOAD = `nft -f ${TABLE_FILE}`
const UNIT = 'kairostat-table.service'
const SCRIPT = 'S10kairostat'

/**
 * The start-up system of the router: the file that loads the table, and the commands that take it up and let
 * it go.
 */
const WAYS: Readonly<Record<string, { file: StartUpFile; begin: string; end: string }>> = {
  units: {
    file: {
      path: `/etc/systemd/system/${UNIT}`,
      mode: '644',
      text: `[Unit]
Description=Kairostat: the last rules, until the computer with Kairostat takes over
DefaultDependencies=no
After=local-fs.target nftables.service
Before=network-pre.target
Wants=network-pre.target

[Service]
Type=oneshot
ExecStart=/bin/sh -c '${LOAD}'

[Install]
WantedBy=sysinit.target
`,
    },
    begin: `systemctl enable ${UNIT}`,
    end: `systemctl disable ${UNIT}`,
  },
  scripts: {
    file: {
      path: `/etc/init.d/${SCRIPT}`,
      mode: '755',
      text: `#!/bin/sh
# Kairostat: the last rules, until the computer with Kairostat takes over.
case "$1" in
  '' | start | boot) ${LOAD} ;;
esac
`,
    },
    begin: `if [ -d /etc/rc.d ]; then ln -sf ../init.d/${SCRIPT} /etc/rc.d/${SCRIPT}; fi`,
    end: `rm -f /etc/rc.d/${SCRIPT}`,
  },
}

/** Says in which of these ways. */
const FIND = 'if [ -d /run/systemd/system ]; then echo units; elif [ -d /etc/init.d ]; then echo scripts; fi'

/** Takes a file in, whole or not at all: the router may lose its power meanwhile. */
const taking = ({ path, mode }: Omit<StartUpFile, 'text'>) =>
  `umask 077 && mkdir -p ${dirname(path)} && cat > ${path}.new && chmod ${mode} ${path}.new && mv ${path}.new ${path} && sync`
const TABLE_RIGHTS = { path: TABLE_FILE, mode: '600' } as const

const removing = ({ path }: StartUpFile) =>
  `rm -f ${path} ${TABLE_FILE}; rmdir /etc/kairostat 2>/dev/null || true`

/** The commands that keep the table on a router and remove it, but for writing the files that load it. */
export const START_UP_SCRIPTS = [
  FIND,
  taking(TABLE_RIGHTS),
  ...Object.values(WAYS).flatMap(({ file, end }) => [end, removing(file)]),
]
/** The files that load the table. */
export const START_UP_FILES = Object.values(WAYS).map(({ file }) => file.path)

/**
 * Keeps the last table on a router that another machine drives; the router loads it before its network is
 * up.
 */
export class StartUp {
  #isKept = false
  /** The table as it was written last, and as it stands on the router. */
  #table: string | null = null
  #written: string | null = null
  #writtenAt = -Infinity
  #waiting: NodeJS.Timeout | null = null

  constructor(
    private readonly system: RouterSystem,
    private readonly fault: (error: unknown, doing: string) => void,
  ) {}

  /**
   * The files that are written, without the table, and the command that does so on the router.
   *
   * @throws ToolFault where the router starts its programs in another way
   * @throws AwayFault
   */
  async offer(): Promise<{ files: StartUpFile[]; command: string }> {
    const { file, begin } = await this.#way()
    return { files: [file], command: `(${taking(file)}) <<'END' && ${begin}\n${file.text}END` }
  }

  /**
   * Writes the files and the table, and the table again whenever it is another one.
   *
   * @throws ToolFault
   * @throws AwayFault
   */
  async begin(): Promise<void> {
    const { file, begin } = await this.#way()
    if ((await this.system.read(file.path)) !== file.text) {
      await this.#sh(taking(file), file.text)
      await this.#sh(begin)
    }
    this.#isKept = true
    if (this.#table !== null) await this.#putTable(this.#table)
  }

  /**
   * Deletes the files from the router.
   *
   * @throws ToolFault
   * @throws AwayFault
   */
  async end(): Promise<void> {
    this.stop()
    const { file, end } = await this.#way()
    await this.#sh(end)
    await this.#sh(removing(file))
  }

  /** Hears that a table is in force. */
  keep(table: string): void {
    this.#table = table
    if (!this.#isKept || this.#waiting || table === this.#written) return
    const wait = Math.max(0, this.#writtenAt + WRITE_EVERY - Date.now())
    this.#waiting = setTimeout(() => {
      this.#waiting = null
      this.#putTable(this.#table!).catch((error: unknown) =>
        this.fault(error, 'keeping the table on the router'),
      )
    }, wait)
    this.#waiting.unref()
  }

  /** Keeps nothing any more; what is on the router stays. */
  stop(): void {
    this.#isKept = false
    if (this.#waiting) clearTimeout(this.#waiting)
    this.#waiting = null
  }

  async #putTable(text: string): Promise<void> {
    this.#writtenAt = Date.now()
    await this.#sh(taking(TABLE_RIGHTS), text)
    this.#written = text
  }

  #sh(script: string, input = ''): Promise<string> {
    return this.system.run('sh', ['-c', script], input)
  }

  async #way() {
    const found = await this.#sh(FIND)
    const way = WAYS[found.trim()]
    if (way) return way
    throw new ToolFault(
      `It has neither systemd nor /etc/init.d: let it run "${LOAD}" when it starts, and copy the table there.`,
    )
  }
}
