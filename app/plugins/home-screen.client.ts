// On a phone's home screen the app says so where Kairostat cannot be reached; browsers allow that over TLS
// alone.
export default defineNuxtPlugin(() => {
  if (!window.isSecureContext || !('serviceWorker' in navigator)) return
  navigator.serviceWorker.register('/sw.js').catch((error: unknown) => console.warn(error))
})
