import type { DeviceKind } from '../../core/policy/types.ts'

/** The drawing of each kind of device. */
export const KIND_ICONS: Readonly<Record<DeviceKind, string>> = {
  phone: 'i-lucide-smartphone',
  tablet: 'i-lucide-tablet',
  laptop: 'i-lucide-laptop',
  desktop: 'i-lucide-monitor',
  reader: 'i-lucide-book-open',
  watch: 'i-lucide-watch',
  screen: 'i-lucide-tv',
  console: 'i-lucide-gamepad-2',
  speaker: 'i-lucide-speaker',
  camera: 'i-lucide-camera',
  printer: 'i-lucide-printer',
  storage: 'i-lucide-hard-drive',
  terminal: 'i-lucide-credit-card',
  machine: 'i-lucide-cog',
  other: 'i-lucide-circle-dashed',
}
