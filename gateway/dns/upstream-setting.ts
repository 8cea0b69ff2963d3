/** Where names are looked up: an address and a port. */
export interface At {
  readonly host: string
  readonly port: number
}

/** How long one upstream is waited for, over UDP or TCP, in milliseconds. */
export const PATIENCE = 1500
