import type { RouterReport } from '../../protocol/router.ts'
import { flowTables } from '../planes/linux/watch/listing.ts'
import { AwayFault, ToolFault, type RouterSystem } from '../planes/linux/system.ts'

/** The seconds by which a router's clock may be off before that is reported. */
const CLOCK_OFF = 30

interface Link {
  readonly ifname: string
  readonly addr_info?: readonly {
    readonly local: string
    readonly prefixlen: number
    readonly scope: string
  }[]
}
interface Route {
  readonly dev?: string
}

/**
 * Looks at a router that has only a shell: what is on it, and what is missing.
 *
 * @throws AwayFault
 */
export async function reportOf(system: RouterSystem, fingerprint: string): Promise<RouterReport> {
  const gaps: RouterReport['gaps'][number][] = []
  /** Returns the output of a program; empty where it fails, which is then reported as missing. */
  const ask = async (command: string, args: readonly string[], costs: string, needed: boolean) => {
    try {
      return await system.run(command, args)
    } catch (error) {
      if (error instanceof AwayFault || !(error instanceof ToolFault)) throw error
      gaps.push({ what: error.message, costs, needed })
      return ''
    }
  }
  const nft = await ask('nft', ['--version'], 'Nothing can be blocked without it.', true)
  const ip = await ask('ip', ['-V'], 'Devices cannot be found without it.', true)
  const tables =
    nft && (await ask('nft', ['-j', 'list', 'flowtables'], 'What is blocked cannot be counted.', true))
  const links = ip && (await ask('ip', ['-j', 'addr'], 'Devices cannot be found.', true))
  const routes =
    ip &&
    (await ask('ip', ['-j', 'route', 'show', 'default'], 'It is not known which way the internet is.', false))
  const ahead = Math.round((await system.aheadMs()) / 1000)
  const out = new Set((JSON.parse(routes || '[]') as Route[]).map(({ dev }) => dev))
  const interfaces = (JSON.parse(links || '[]') as Link[])
    .map(({ ifname, addr_info: all = [] }) => ({
      name: ifname,
      addresses: all.filter(({ scope }) => scope === 'global').map((one) => `${one.local}/${one.prefixlen}`),
      leadsOut: out.has(ifname),
    }))
    .filter(({ addresses }) => addresses.length > 0)
  if (Math.abs(ahead) > CLOCK_OFF)
    gaps.push({
      what: `Its clock is off by ${Math.abs(ahead)} seconds.`,
      costs: 'Schedules begin and end by its clock. Set it, and let it be set over the network (NTP).',
      needed: false,
    })
  if ((await system.read('/proc/sys/net/ipv4/ip_forward'))?.trim() !== '1')
    gaps.push({
      what: 'It does not forward packets.',
      costs: 'It is no router just now: nothing passes it that could be blocked.',
      needed: false,
    })
  const versions = [nft, ip].map((text) => text.trim()).filter(Boolean)
  return {
    fingerprint,
    versions,
    ahead,
    interfaces,
    flowTables: tables ? flowTables(tables) : [],
    gaps,
  }
}
