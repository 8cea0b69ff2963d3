import type { Page } from '@playwright/test'

/**
 * The most that may move while a page loads: the sum of the shifts, each the share of the screen times the
 * share of its height (Layout Instability API); Web Vitals call this much good.
 */
const SHIFT = 0.1

/** Has a page note from its beginning on what moves by itself. */
export const watchShifts = (page: Page) =>
  page.addInitScript(() => {
    const state = window as unknown as { shifts: { value: number; what: string }[] }
    state.shifts = []
    new PerformanceObserver((list) => {
      for (const entry of list.getEntries() as unknown as {
        value: number
        hadRecentInput: boolean
        sources: { node: Node | null }[]
      }[]) {
        const [{ node } = { node: null }] = entry.sources
        if (!entry.hadRecentInput)
          state.shifts.push({
            value: entry.value,
            what: (node instanceof Element ? node.outerHTML : (node?.textContent ?? '?')).slice(0, 120),
          })
      }
    }).observe({ type: 'layout-shift', buffered: true })
  })

/** Returns the elements that moved by themselves since the page began, where they are too many. */
export async function shiftsOf(page: Page): Promise<string[]> {
  const shifts = await page.evaluate(
    () => (window as unknown as { shifts: { value: number; what: string }[] }).shifts,
  )
  return shifts.reduce((sum, { value }) => sum + value, 0) > SHIFT
    ? shifts.map(({ value, what }) => `moved by ${value.toFixed(3)}: ${what}`)
    : []
}

/**
 * Controls that lie upon each other, texts that are cut off, controls that a thumb would miss (with
 * `forThumbs`), and what lies beyond the side of the screen.
 */
export function layoutFaults(page: Page, forThumbs: boolean): Promise<string[]> {
  return page.evaluate((forThumbs) => {
    const faults: string[] = []
    const said = (element: Element) => element.outerHTML.replace(/\s+/g, ' ').slice(0, 140)
    const isShown = (element: Element) =>
      element.checkVisibility({ opacityProperty: true, visibilityProperty: true }) &&
      element.getBoundingClientRect().width > 1
    // Floating elements lie upon others on purpose.
    const floats = (element: Element): boolean =>
      element !== document.documentElement &&
      (['fixed', 'sticky', 'absolute'].includes(getComputedStyle(element).position) ||
        floats(element.parentElement!))
    const scrolls = (element: Element): boolean =>
      element !== document.documentElement &&
      (/auto|scroll|hidden/.test(getComputedStyle(element).overflow) || scrolls(element.parentElement!))

    const controls = [
      ...document.querySelectorAll('main :is(a, button, input, textarea, [role=switch])'),
    ].filter((control) => isShown(control) && !control.closest('svg, td, [aria-hidden=true]'))
    // Elements that scrolled out of a list are not there.
    const isClipped = (element: Element, box: DOMRect): boolean => {
      const parent = element.parentElement
      if (!parent || parent === document.documentElement) return false
      const around = parent.getBoundingClientRect()
      return (
        (/auto|scroll|hidden/.test(getComputedStyle(parent).overflowY) &&
          (box.top >= around.bottom - 2 || box.bottom > around.bottom + 2)) ||
        isClipped(parent, box)
      )
    }
    const boxes = controls
      .filter((control) => !floats(control))
      .map((control) => ({ control, box: control.getBoundingClientRect() }))
      .filter(({ control, box }) => !isClipped(control, box))
    boxes.forEach(({ control, box }, index) => {
      for (const other of boxes.slice(index + 1)) {
        const width = Math.min(box.right, other.box.right) - Math.max(box.left, other.box.left)
        const height = Math.min(box.bottom, other.box.bottom) - Math.max(box.top, other.box.top)
        if (width > 2 && height > 2 && !control.contains(other.control) && !other.control.contains(control))
          faults.push(`overlap: ${said(control)} and ${said(other.control)}`)
      }
    })
    // A link within a text is as high as its line (WCAG 2.2, 2.5.8).
    if (forThumbs) {
      for (const control of controls) {
        const { height } = (control.closest('label') ?? control).getBoundingClientRect()
        const isInline = getComputedStyle(control).display === 'inline'
        const isTick =
          control.getAttribute('role') === 'checkbox' || control.getAttribute('role') === 'switch'
        if (!isInline && !isTick && height < 43.5)
          faults.push(`lower than 44 pixels (${height}): ${said(control)}`)
      }
    }
    for (const element of document.querySelectorAll('main *, .side *, footer *')) {
      const hasText = [...element.childNodes].some(
        (node) => node.nodeType === Node.TEXT_NODE && node.textContent!.trim() !== '',
      )
      if (!hasText || !isShown(element) || element.closest('svg')) continue
      const style = getComputedStyle(element)
      const cuts =
        style.overflowX !== 'visible' &&
        style.textOverflow !== 'ellipsis' &&
        !/auto|scroll/.test(style.overflowX)
      if (cuts && element.scrollWidth > element.clientWidth + 1) faults.push(`cut off: ${said(element)}`)
      if (!scrolls(element) && element.getBoundingClientRect().right > innerWidth + 1)
        faults.push(`beyond the side: ${said(element)}`)
    }
    return faults
  }, forThumbs)
}
