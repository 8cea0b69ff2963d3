import { errorText } from '../../core/words/error-text.ts'
import { join } from 'node:path'
import type { Refusal } from '../../protocol/gateway/gateway.ts'
import { FIRST_SETTINGS, readSettings, type Settings } from '../../protocol/gateway/settings.ts'
import { UNTIL_OVER } from '../state/trouble-log.ts'
import { FileFault, prepareFile } from '../../node/atomic-file.ts'
import type { DevicePages } from '../pages/device-pages.ts'
import type { DataPlane } from '../planes/plane.ts'
import type { StateParts } from '../state/state-damage.ts'
import { readOrBegin, STATE_FILES, type ReadState } from '../state/state.ts'

/** The surroundings of a settings holder. */
export interface SettingsHolderParts extends StateParts {
  readonly plane: DataPlane
  /** The pages for devices. */
  readonly pages: DevicePages
  /** Takes over what of the settings counts outside the plane. */
  readonly settled: (settings: Settings) => void
  /**
   * Rewrites on disk what settings may have told to forget.
   *
   * @throws FileFault
   */
  readonly forget: () => Promise<void>
}

/** Holds the settings: takes others whole or not at all, tells them to the plane and keeps them on disk. */
export class SettingsHolder {
  #settings = FIRST_SETTINGS

  constructor(private readonly parts: SettingsHolderParts) {}

  get settings(): Settings {
    return this.#settings
  }

  /** Takes other settings in the place of those that are. One at a time. */
  async set(document: unknown): Promise<Refusal> {
    const result = readSettings(document)
    if ('faults' in result) return result.faults
    const before = this.#settings
    try {
      await this.#settle(result.settings)
    } catch (error) {
      const why = errorText(error)
      return [{ path: 'page.shown', message: `cannot be done: ${why}` }]
    }
    try {
      await this.#store()
    } catch (error) {
      if (!(error instanceof FileFault)) throw error
      await this.#settle(before)
      const message = `cannot be stored by the gateway, and nothing changed. ${error.message}`
      return [{ path: '', message }]
    }
    const { troubles, nowSeconds } = this.parts
    for (const { kind, about } of troubles.all(nowSeconds())) if (kind === 'page') troubles.over(kind, about)
    return null
  }

  /** Takes those of the state folder; nothing that was chosen stands in the way of what is enforced. */
  async restore(): Promise<void> {
    const { folder, plane, troubles, damage, nowSeconds, fault } = this.parts
    if (folder === null) return
    const kept = await readKeptSettings(folder)
    if (kept.damage) damage.note(kept.damage)
    try {
      await this.#settle(kept.value)
    } catch (error) {
      const why = errorText(error)
      troubles.note('page', why, nowSeconds(), UNTIL_OVER)
      fault(error, 'showing the page that says what is blocked')
      await plane.set({ ...this.#planeSetting(kept.value), pages: null })
      this.#accept(kept.value)
    }
  }

  async #settle(settings: Settings): Promise<void> {
    await this.parts.plane.set(this.#planeSetting(settings))
    this.#accept(settings)
  }

  #accept(settings: Settings): void {
    this.#settings = settings
    this.parts.settled(settings)
  }

  async #store(): Promise<void> {
    const { folder, damage, forget } = this.parts
    if (folder === null) return
    const file = join(folder, STATE_FILES.settings)
    // Data that are no longer kept are deleted before a new start would find these settings: where that
    // fails, nothing
    // changed.
    const store = await prepareFile(file, JSON.stringify(this.#settings))
    await forget()
    await store()
    damage.over(file)
  }

  #planeSetting({ closedAddresses, page, localNames }: Settings) {
    return { closedAddresses, pages: page.shown ? this.parts.pages : null, localNames }
  }
}

/** Reads the settings. */
function readKeptSettings(folder: string): Promise<ReadState<Settings>> {
  return readOrBegin(
    join(folder, STATE_FILES.settings),
    (text) => {
      const result = readSettings(JSON.parse(text))
      return 'settings' in result ? result.settings : null
    },
    FIRST_SETTINGS,
  )
}
