/** The texts of the page on which one signs in or sets up. */
export const signInText = {
  code: 'Code of your authenticator app',
  codeHow: 'Or one of your recovery codes.',
  pageTitle: 'Sign in · Kairostat',
  kairostat: 'Kairostat',
  signIn: 'Sign in',
  setUpKairostat: 'Set up Kairostat',
  whatItDoes: 'Control which devices can use the internet, and when.',
  setUpHow: 'Choose the administrator’s name and password, and a name for your network.',
  setUpCode: 'Set-up code',
  setUpCodeWhere: 'Shown on the console where Kairostat was started.',
  abcdEfgh: 'ABCD-EFGH',
  name: 'Name',
  password: 'Password',
  // It stands where what is wrong is said, so that nothing moves when that is mended.
  passwordHow: (characters: number) => `${characters} characters or more.`,
  nameOfYourNetwork: 'Name of your network',
  networkExample: 'Our house',
  timeZone: 'Time zone',
  timeZoneWhy: 'Schedules follow it.',
  setUp: 'Set up',
  loading: 'Loading…',
}
