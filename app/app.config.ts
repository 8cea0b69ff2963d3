export default defineAppConfig({
  ui: {
    colors: { primary: 'ink', neutral: 'sand', error: 'needle' },
    button: { slots: { base: 'rounded-full font-medium cursor-pointer' } },
    input: { slots: { base: 'rounded-md' } },
  },
})
