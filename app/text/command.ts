/** The texts of commands that are to be run elsewhere. */
export const commandText = {
  commandsOf: (title: string) => `Commands: ${title}`,
  copy: 'Copy',
  copyLabel: (title: string) => `Copy the commands: ${title}`,
  copied: 'Copied.',
  cannotCopy: 'The browser does not allow copying here. Select the text instead.',
}
