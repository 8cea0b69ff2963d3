/** An upstream: an address and a port. */
export interface At {
  readonly host: string
  readonly port: number
}

/** The time that one upstream has to answer, over UDP or TCP. */
export const UPSTREAM_PATIENCE_MS = 1500
