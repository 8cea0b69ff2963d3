import { rm } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { PAIRING_FILE } from '../../gateway/router/driver.ts'
import { STATE_FILES } from '../../gateway/state/state.ts'
import { readIfThere, writeAtomically } from '../../node/atomic-file.ts'
import { FIRST } from '../../protocol/places.ts'

/** Returns where the embedded gateway of a place keeps its state in a data folder. */
export function gatewayFolderOf(folder: string, place: string): string {
  return place === FIRST ? join(folder, 'gateway') : join(folder, 'places', place, 'gateway')
}

/** Returns the file with the settings of the embedded gateway of a place. */
export function gatewaySettingsOf(folder: string, place: string): string {
  return join(gatewayFolderOf(folder, place), STATE_FILES.settings)
}

/** Returns the file that names the router that a process drives for a place. */
export function routerFileOf(folder: string, place: string): string {
  return join(gatewayFolderOf(folder, place), PAIRING_FILE)
}

/** The file in a place's folder that says of which place it is. */
const KEY_FILE = 'place'

/**
 * Sees to it that the folder of a further place is its own: what a place of the same id left there that was
 * removed, by whatever process, is deleted.
 */
export async function ownPlaceFolder(folder: string, id: string, key: string | null): Promise<void> {
  if (id === FIRST || key === null) return
  const own = dirname(gatewayFolderOf(folder, id))
  const known = await readIfThere(join(own, KEY_FILE))
  if (known === key) return
  if (known !== null) await forgetPlaceFolder(folder, id)
  await writeAtomically(join(own, KEY_FILE), key)
}

/** Deletes the folder of a further place; the first one keeps its own. */
export async function forgetPlaceFolder(folder: string, id: string): Promise<void> {
  if (id !== FIRST) await rm(dirname(gatewayFolderOf(folder, id)), { recursive: true, force: true })
}
