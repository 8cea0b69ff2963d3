import { createReadStream } from 'node:fs'
import {
  createError,
  defineEventHandler,
  getHeader,
  removeResponseHeader,
  serveStatic,
  setResponseHeader,
} from 'h3'
import { getAsset, isPublicAssetURL } from '#nitro-internal-virtual/public-assets'

// The files of the pages, as they are read and no faster than they are taken: Nitro's own way reads each
// whole for
// everybody who asks.
export default defineEventHandler(async (event) => {
  const found = await serveStatic(event, {
    fallthrough: true,
    // The shorter of the two, in whatever order they are named.
    encodings: /\bbr\b/.test(getHeader(event, 'accept-encoding') ?? '') ? { br: '.br' } : { gzip: '.gz' },
    indexNames: [],
    getMeta: (id) => {
      const asset = getAsset(id)
      if (asset?.encoding !== undefined) setResponseHeader(event, 'vary', 'accept-encoding')
      return asset && { ...asset, encoding: asset.encoding ?? undefined }
    },
    getContents: (id) => {
      const file = createReadStream(new URL(getAsset(id)!.path, import.meta.url))
      event.node.res.once('close', () => file.destroy())
      return file
    },
  })
  if (found !== false || !isPublicAssetURL(new URL(event.path, 'http://localhost').pathname)) return
  removeResponseHeader(event, 'cache-control')
  throw createError({ statusCode: 404 })
})
