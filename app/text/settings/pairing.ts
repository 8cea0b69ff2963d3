/** The texts about pairing with a gateway by a code. */
export const pairingText = {
  title: 'Pair a gateway by a code',
  what: 'For a gateway on another computer that Kairostat can reach. Both sides then know each other by a secret that nobody types.',
  onTheGateway: 'On the gateway',
  listenAndShow: 'Let it listen on its own address, and have it show a code:',
  address: 'Address of the gateway',
  addressExample: '192.168.77.1:3310',
  code: 'Code that it shows',
  codeExample: 'ABCD-EFGH',
  pair: 'Pair',
  orHere: 'Or show a code here and type it there',
  waiting: (address: string, until: string) =>
    `Waiting for the gateway at ${address}, until ${until}. Type there:`,
  command: (code: string) => `kairostat gateway pair ${code} --state /var/lib/kairostat`,
  commandTitle: 'Command for the gateway',
  stopWaiting: 'Stop waiting',
  paired: (address: string) => `The gateway at ${address} is paired.`,
  disconnect: 'Disconnect the gateway',
  reallyDisconnect: 'Disconnect it now',
  disconnectEffect: 'It goes on with the rules that it has, and Kairostat no longer reaches it.',
  cancel: 'Cancel',
}
