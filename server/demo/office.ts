import { freeId } from '../../core/policy/id.ts'
import { DEPARTMENTS, officeMachines } from '../../gateway/planes/simulated/office.ts'

const APPS = ['reelbrook', 'tilefall', 'chatterling']
const clock = (minutes: number) =>
  `${String(Math.floor(minutes / 60) % 24).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`
const idOf = (name: string) => freeId(name, [])

/**
 * The demo's other policy document: a map printing house with 500 devices, 20 groups, 50 schedules and 60
 * rules, all made up.
 */
export function officeDocument() {
  const machines = officeMachines()
  const groups = DEPARTMENTS.map((name) => ({
    id: idOf(name),
    name,
    members: machines.filter(({ department }) => department === name).map((machine) => idOf(machine.name)),
  }))
  const schedules = Array.from({ length: 50 }, (_, index) => {
    const [department, kind] = [
      DEPARTMENTS[index % DEPARTMENTS.length]!,
      Math.floor(index / DEPARTMENTS.length),
    ]
    const [start, end] = [420 + ((index * 7) % 120), 990 + ((index * 11) % 150)]
    const week = [
      `Mo-Fr ${clock(start)}-12:00,13:00-${clock(end)}`,
      `Su-Th ${clock(end + 240)}-${clock(start)}; Fr,Sa 23:30-08:30`,
      `Sa ${clock(start)}-14:00`,
    ][kind]!
    return {
      id: `hours-${index + 1}`,
      name: `${department} ${['hours', 'nights', 'Saturdays'][kind]!}`,
      week,
      exceptions: [{ from: '2026-12-24', until: '2027-01-02', hours: 'off' }],
    }
  })
  const rules = Array.from({ length: 60 }, (_, index) => {
    const group = groups[index % groups.length]!
    const kind = Math.floor(index / groups.length)
    return {
      id: `rule-${index + 1}`,
      effect: 'block',
      name: `${group.name} ${['without games and video', 'at night', 'with its own pages only on Saturday'][kind]!}`,
      who: { groups: [group.id], except: { devices: group.members.slice(0, kind) } },
      what: kind === 0 ? { categories: ['games', 'video'], keywords: ['stream'] } : { internet: true },
      when: {
        schedules: [
          schedules[kind === 2 ? 40 + (index % 10) : kind * groups.length + (index % groups.length)]!.id,
        ],
      },
    }
  })
  return {
    kairostat: 1,
    place: { name: 'Quay Street Map Works', timeZone: 'Europe/Lisbon' },
    devices: machines.map(({ name, kind, cards }) => ({
      id: idOf(name),
      name,
      kind,
      shielded: name === 'Reception desktop 1',
      adapters: cards.map(({ mac, medium }) => ({ mac, medium })),
    })),
    groups,
    schedules,
    apps: APPS.map((id, index) => ({
      id,
      name: id.replace(/^./, (letter) => letter.toUpperCase()),
      category: ['video', 'games', 'chat'][index]!,
      sites: [`${id}.example`],
    })),
    rules,
  }
}
