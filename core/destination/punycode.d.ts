declare module 'punycode/punycode.js' {
  const punycode: {
    /**
     * Decodes each label that begins with `xn--` (RFC 3492).
     *
     * @throws RangeError where one is malformed
     */
    toUnicode(domain: string): string
  }
  export default punycode
}
