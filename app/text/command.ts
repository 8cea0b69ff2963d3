/** The texts of what is to be copied and used elsewhere. */
export const commandText = {
  copy: 'Copy',
  copyLabel: (what: string) => `Copy: ${what}`,
  copied: 'Copied.',
  cannotCopy: 'The browser does not allow copying here. Select the text instead.',
}
