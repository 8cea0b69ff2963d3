import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

/** The moment that every screen shows, in seconds: the clock's, or where the needle was put. */
export const useMoment = defineStore('moment', () => {
  const now = ref(Math.floor(Date.now() / 1000))
  const needle = ref<number | null>(null)
  const at = computed(() => needle.value ?? now.value)
  const isNow = computed(() => needle.value === null)

  /** Puts the needle at an instant (seconds). */
  function put(instant: number): void {
    needle.value = Math.round(instant)
  }

  /** Moves the needle by seconds. */
  function step(seconds: number): void {
    // From "now" the first step lands on a full quarter, as the next ones do.
    put(needle.value === null ? Math.round((now.value + seconds) / 900) * 900 : needle.value + seconds)
  }

  /** Lets the needle follow the clock again. */
  function back(): void {
    needle.value = null
  }

  /** Begins to tick; the function that comes back ends it. */
  function tick(): () => void {
    const timer = setInterval(() => {
      now.value = Math.floor(Date.now() / 1000)
    }, 1000)
    return () => clearInterval(timer)
  }

  return { now, at, isNow, put, step, back, tick }
})
