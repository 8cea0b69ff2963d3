import type { OverrideWho } from '../../core/policy/types.ts'

/** Returns the *who* of an override for one device (its id), or one unknown device (its MAC address). */
export function onlyFor(one: { readonly device: string } | { readonly mac: string }): OverrideWho {
  return {
    everyone: false,
    newcomers: false,
    devices: 'device' in one ? [one.device] : [],
    groups: [],
    networks: [],
    macs: 'mac' in one ? [one.mac] : [],
    except: { devices: [], groups: [], networks: [] },
  }
}
