import type { Device } from '../policy/types.ts'

/**
 * One device of such a list, as far as its columns say; groups by name, or by id where a name is not enough.
 * `line` counts from 1.
 */
export interface DeviceRow {
  readonly line: number
  readonly id: string | null
  readonly device: Partial<Omit<Device, 'id'>> & Pick<Device, 'name' | 'adapters'>
  readonly groups: readonly string[] | null
}
