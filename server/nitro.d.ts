// The modules that Nitro generates for static files.
declare module '#nitro-internal-virtual/public-assets' {
  interface Asset {
    readonly type: string
    /** `null` = there are packed ones beside it. */
    readonly encoding?: 'gzip' | 'br' | null
    readonly etag: string
    readonly mtime: string
    readonly size: number
    /** From the folder of the server's program. */
    readonly path: string
  }
  export function getAsset(id: string): Asset | undefined
  /** Whether an address is of a file, though there may be none. */
  export function isPublicAssetURL(id: string): boolean
}
