export default defineAppConfig({
  ui: {
    colors: { primary: 'ink', neutral: 'mist', error: 'danger' },
    button: { slots: { base: 'rounded-lg font-medium cursor-pointer' }, variants: { size: { xs: { base: 'text-[13px] px-2.5 py-1' }, sm: { base: 'text-sm px-3 py-1.5' }, md: { base: 'text-sm px-3.5 py-1.5' } } } },
    input: { slots: { base: 'bg-(--leaf)' } },
    select: { slots: { base: 'bg-(--leaf)' } },
    selectMenu: { slots: { base: 'bg-(--leaf)' } },
  },
})
