/** The name of a Wi-Fi and its key; an empty key = it has none. */
export interface WifiAccess {
  readonly name: string
  readonly key: string
}

/**
 * The text of a QR code by which phones join a Wi-Fi (WPA3 Specification, section 7.1).
 *
 * @example wifiText({ name: 'Bindery; guests', key: 'glue-pot-7' }) // 'WIFI:T:WPA;S:Bindery\\; guests;P:glue-pot-7;;'
 */
export function wifiText({ name, key }: WifiAccess): string {
  const escaped = (text: string) => text.replace(/[\\;,:"]/g, '\\$&')
  const access = key === '' ? 'T:nopass' : 'T:WPA'
  return `WIFI:${access};S:${escaped(name)};${key === '' ? '' : `P:${escaped(key)};`};`
}
