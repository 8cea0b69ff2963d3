import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { startOfMinute } from '../../core/time/duration.ts'

/** The moment that every screen shows, in seconds: the clock's, or where the needle was put. */
export const useMoment = defineStore('moment', () => {
  const now = ref(Math.floor(Date.now() / 1000))
  const needle = ref<number | null>(null)
  const at = computed(() => needle.value ?? now.value)
  const isNow = computed(() => needle.value === null)

  const minute = computed(() => startOfMinute(now.value))
  /**
   * The instant that is looked at, true when it is asked for. Who works something out as of it does so anew
   * with every minute and when the needle moves, and not with every second.
   */
  function instant(): number {
    // Watched, not used: a minute is too coarse for what began a moment ago.
    void minute.value
    return needle.value ?? Math.floor(Date.now() / 1000)
  }

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

  /** Reads the clock at once: something may have begun in this second. */
  function look(): void {
    now.value = Math.floor(Date.now() / 1000)
  }

  /** Begins to tick; the function that comes back ends it. */
  function tick(): () => void {
    const timer = setInterval(look, 1000)
    return () => clearInterval(timer)
  }

  return { now, at, isNow, minute, instant, put, step, back, look, tick }
})
