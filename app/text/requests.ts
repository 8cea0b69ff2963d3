import { plural } from '../../core/words/count.ts'

/** The texts about devices that ask for more time. */
export const requestText = {
  title: 'Requests for more time',
  count: (count: number) =>
    count === 0 ? 'No requests' : `${count} ${plural(count, 'device asks', 'devices ask')} for more time`,
  more: (count: number) => `Show ${count} more`,
  fewer: 'Show fewer',
  asks: (length: string, when: string) => `asks for ${length}, ${when}`,
  forLength: (length: string) => `for ${length}`,
  howLong: (name: string) => `How long for ${name}`,
  grant: 'Allow',
  grantTo: (name: string, length: string) => `Allow ${name} for ${length}`,
  decline: 'Decline',
  declineOf: (name: string) => `Decline the request of ${name}`,
  granted: (name: string, length: string) => `${name} is allowed for ${length}.`,
  declined: (name: string) => `The request of ${name} is declined.`,
}
