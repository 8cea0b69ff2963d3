import type { Page } from '@playwright/test'

/**
 * Counts what one presses from now on.
 *
 * @returns how much that was
 */
export async function counting(page: Page): Promise<() => Promise<number>> {
  await page.evaluate(() => {
    const state = window as unknown as { acts?: number }
    const isCounting = state.acts !== undefined
    state.acts = 0
    if (isCounting) return
    document.addEventListener('click', (event) => event.isTrusted && state.acts!++, true)
    // A list of the browser's own is opened and chosen from; the test does so without its clicks.
    document.addEventListener(
      'change',
      ({ target }) => target instanceof HTMLSelectElement && (state.acts! += 2),
      true,
    )
  })
  return () => page.evaluate(() => (window as unknown as { acts: number }).acts)
}
