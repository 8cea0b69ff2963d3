/** The texts about keys for zone transfers. */
export const transferText = {
  title: 'Lists for DNS servers',
  how: 'DNS servers can fetch your live site lists as response policy zones. Each needs a key.',
  off: 'This is off. To turn it on, start Kairostat with KAIROSTAT_TRANSFER_PORT, for example 5300.',
  on: (port: number, zones: string) =>
    `Zones are served on port ${port}: the list “video” is the zone video.${zones}.`,
  name: 'Name of the key',
  nameExample: 'branch-office',
  add: 'Create key',
  secretHow: 'The lines for BIND, with the secret. It is not shown again.',
  lines: 'Key for BIND',
  facts: (author: string, when: string) => `created by ${author}, ${when}`,
  delete: 'Delete',
  deleteOne: (name: string) => `Delete the key ${name}`,
  reallyDelete: 'Delete: the server gets no more lists',
}
