/**
 * Controls in a line share one height, which a thumb can hit on a phone, and one kind; what is filled is the
 * one act of a screen that matters most.
 */
const HEIGHT = 'min-h-8 max-[760px]:min-h-11 rounded-lg'
const FIELD = { slots: { base: `${HEIGHT} bg-(--leaf) text-sm` } }

export default defineAppConfig({
  ui: {
    colors: { primary: 'ink', neutral: 'mist', error: 'danger' },
    button: {
      slots: {
        base: `${HEIGHT} text-sm font-medium cursor-pointer whitespace-nowrap aria-pressed:bg-(--ink) aria-pressed:text-(--paper)`,
      },
      // The small one stands within a line of text.
      variants: { size: { md: { base: 'px-3 py-1' }, xs: { base: 'min-h-7 px-2 py-0.5 text-[13px]' } } },
      compoundVariants: [{ color: 'neutral', variant: 'outline', class: 'bg-(--leaf)' }],
      defaultVariants: { color: 'neutral', variant: 'outline', size: 'md' },
    },
    input: FIELD,
    textarea: { slots: { base: 'bg-(--leaf) rounded-lg' } },
    selectMenu: { slots: { base: `${HEIGHT} bg-(--leaf) text-sm cursor-pointer` } },
    checkbox: { slots: { root: 'items-center max-[760px]:min-h-11', label: 'font-normal cursor-pointer' } },
    checkboxGroup: {
      slots: { fieldset: 'flex-wrap gap-x-4', legend: 'text-[13px] font-normal text-(--soft)' },
    },
    formField: { slots: { label: 'text-[13px] font-normal text-(--soft)', container: 'mt-px' } },
  },
})
