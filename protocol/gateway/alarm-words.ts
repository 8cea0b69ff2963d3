import { lengthWords } from '../../core/words/length.ts'
import type { Alarm } from './alarm.ts'

/**
 * An alarm in words: what is not as it should be, and what to do. `device` and `rule` are the names of those
 * that it covers.
 */
export function alarmWords(
  { kind, about }: Alarm,
  device: string,
  rule: string,
): { what: string; remedy: string } {
  switch (kind) {
    case 'passes':
      return {
        what: `${device} should be blocked by ${rule}, but ${Number(about).toLocaleString('en')} packets got through.`,
        remedy:
          'Check whether somebody changed the packet filter of the gateway, then apply the policy again.',
      }
    case 'never-dropped':
      return {
        what: `${rule} blocks everything, but none of ${about} packets was dropped.`,
        remedy:
          'Check whether the devices reach the internet another way: a second router, or a cable past the gateway.',
      }
    case 'unasked':
      return {
        what: `${device} uses the internet without DNS look-ups here, so ${rule} cannot cover it.`,
        remedy: 'It probably uses encrypted DNS. Block that with a rule, or turn it off on the device.',
      }
    case 'clock-set':
      return {
        what: `The gateway’s clock was set ${Number(about) < 0 ? 'back' : 'forward'} by ${lengthWords(Math.abs(Number(about)))}.`,
        remedy: 'Schedules follow the new time. Check that it is right, and what changed it.',
      }
    case 'put-back':
      return {
        what: `Somebody changed the gateway’s rules (${about}). They have been restored.`,
        remedy:
          'Another program on the gateway manages the packet filter: configure it to leave this table alone.',
      }
    case 'passed-by':
      return {
        what: `The gateway forwards packets past its rules (flow table ${about}).`,
        remedy:
          'Turn off flow offloading for the local network, or let Kairostat keep restricted devices out of it: connect the router again and tick that, or start the gateway with --offload unrestricted.',
      }
    case 'unreachable':
      return {
        what: `The gateway cannot reach the router ${about}. Schedules go on there for up to two weeks.`,
        remedy: 'Check that the router is on and that its SSH server runs.',
      }
    case 'state':
      return {
        what: `The gateway could not read a file of its state: ${about}.`,
        remedy: 'Check the gateway’s disk, then apply the policy again.',
      }
    case 'disk':
      return {
        what: `The gateway cannot write ${about}.`,
        remedy: 'Free some space on its disk, or replace the disk. The current rules stay active.',
      }
    case 'page':
      return {
        what: `The gateway cannot show the page that explains a block: ${about}.`,
        remedy:
          'Stop the program that uses its port, or choose another with --page-port. Sites are blocked all the same.',
      }
    case 'flood':
      return {
        what: `More unknown devices send than can be told apart: somebody makes up MAC addresses behind ${about}. Allowances of further unknown devices count as used up.`,
        remedy: 'Find the device behind that port or network and disconnect it.',
      }
    case 'controller':
      return {
        what: `The router does not know the MAC address of this machine (${about}), so its own DNS look-ups are blocked like everybody’s.`,
        remedy: 'Check that this machine is connected to the router’s local network.',
      }
    case 'other-driver':
      return {
        what: `Another Kairostat, on ${about}, drives this router. Nothing is sent there from here.`,
        remedy: 'Disconnect the router in one of the two.',
      }
    case 'forged':
      return {
        what: `A device sends DNS look-ups past the router, from ${about}. They are not answered.`,
        remedy: 'Find out which device has this address.',
      }
    case 'clock-past':
      return {
        what: `The gateway’s clock is wrong: it was ${about.slice(0, 16).replace('T', ' ')} UTC already. Until it is right, restricted devices are treated as outside of all known time.`,
        remedy:
          'Set the clock of the gateway, or check its time server. If that time was the wrong one, delete the file clock-known in the folder of its state and start it again.',
      }
    case 'upstream':
      return {
        what: `The resolver ${about} does not answer the gateway’s look-ups.`,
        remedy: 'Check that it can be reached, or configure another.',
      }
  }
}
