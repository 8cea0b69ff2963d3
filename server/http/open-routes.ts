/** The cookie that carries a session's token. */
export const SESSION_COOKIE = 'kairostat'

const OPEN = new Set([
  'GET /sign-in',
  'GET /api/health',
  'GET /api/session',
  'POST /api/session',
  'POST /api/setup',
  'GET /join',
  'POST /api/join',
  'POST /api/join/look',
  'GET /favicon.svg',
  'GET /manifest.webmanifest',
  'GET /icon-192.png',
  'GET /icon-512.png',
  'GET /sw.js',
  'GET /offline.html',
])

/**
 * Whether a route answers without a session: the sign-in page with its files and calls, and the health check.
 */
export function isOpen(method: string, path: string): boolean {
  return (
    OPEN.has(`${method === 'HEAD' ? 'GET' : method} ${path}`) ||
    (method === 'GET' && path.startsWith('/_nuxt/'))
  )
}
