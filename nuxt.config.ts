import { fileURLToPath } from 'node:url'

/** Imports name their files whole, as Node and every bundler take them. */
const tsConfig = {
  compilerOptions: {
    allowImportingTsExtensions: true,
    noEmit: true,
    // Nitro imports names that it makes while building.
    noUncheckedSideEffectImports: false,
  },
}

export default defineNuxtConfig({
  modules: ['@nuxt/ui', '@pinia/nuxt', '@nuxt/eslint', 'nuxt-security'],
  // Everything shown is worked out in the browser from the policy; the server has nothing to render
  // beforehand.
  ssr: false,
  devtools: { enabled: false },
  app: {
    head: {
      title: 'Kairostat',
      htmlAttrs: { lang: 'en' },
      link: [
        { rel: 'icon', type: 'image/svg+xml', href: '/favicon.svg' },
        { rel: 'manifest', href: '/manifest.webmanifest' },
        { rel: 'apple-touch-icon', href: '/icon-192.png' },
      ],
      meta: [
        { name: 'viewport', content: 'width=device-width, initial-scale=1' },
        { name: 'theme-color', content: '#f2f4f1', media: '(prefers-color-scheme: light)' },
        { name: 'theme-color', content: '#11191f', media: '(prefers-color-scheme: dark)' },
      ],
    },
  },
  css: ['~/assets/main.css'],
  // No network while building or running: fonts and icons come out of packages.
  ui: { fonts: false },
  // Other pages are fetched when one points at them: while the first is being opened they would stand in its
  // way.
  experimental: { defaults: { nuxtLink: { prefetchOn: { visibility: false, interaction: true } } } },
  hooks: {
    'build:manifest': (manifest) => {
      for (const file of Object.values(manifest)) file.prefetch = false
    },
  },
  compatibilityDate: '2026-11-01',
  $production: { nitro: { entry: fileURLToPath(new URL('server/http/entry.ts', import.meta.url)) } },
  nitro: {
    compressPublicAssets: true,
    // server/middleware/files.ts does.
    serveStatic: false,
    typescript: { tsConfig },
  },
  // Fonts are files: the policy for content takes none that stands within a style.
  vite: { build: { assetsInlineLimit: 0 } },
  typescript: { tsConfig, sharedTsConfig: tsConfig, nodeTsConfig: tsConfig },
  telemetry: false,
  eslint: { config: { stylistic: false } },
  icon: {
    provider: 'none',
    fallbackToApi: false,
    serverBundle: { collections: ['lucide'] },
    clientBundle: { scan: { globInclude: ['app/**/*.{vue,ts}'], globExclude: [] } },
  },
  security: {
    headers: {
      contentSecurityPolicy: {
        'default-src': ["'self'"],
        'script-src': ["'self'", "'nonce-{{nonce}}'"],
        'style-src': ["'self'", "'unsafe-inline'"],
        'img-src': ["'self'", 'data:'],
        'font-src': ["'self'"],
        'connect-src': ["'self'"],
        'worker-src': ["'self'"],
        'object-src': ["'none'"],
        'base-uri': ["'none'"],
        'form-action': ["'self'"],
        'frame-ancestors': ["'none'"],
        // A local network often has no TLS.
        'upgrade-insecure-requests': false,
      },
      strictTransportSecurity: false,
      crossOriginEmbedderPolicy: false,
      referrerPolicy: 'no-referrer',
      xFrameOptions: 'DENY',
    },
    // An error's stack is told on the console, where whoever mends it looks.
    removeLoggers: false,
    // Both look at what a client may forge or must be free to write; server/accounts/sign-in.ts and the
    // schemas do this work.
    rateLimiter: false,
    corsHandler: false,
    xssValidator: false,
    requestSizeLimiter: { maxRequestSizeInBytes: 64_000_000, maxUploadFileRequestInBytes: 64_000_000 },
  },
})
