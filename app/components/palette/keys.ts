/** The few keys that work everywhere. */
export const KEYS: readonly (readonly [key: string, words: string])[] = [
  ['Ctrl K', 'search, or do something: “allow lena’s tablet 30 min”'], ['m', 'type the moment to show'], ['n', 'back to now'], ['← →', 'on the ribbon: move the needle'],
  ['↑ ↓', 'on the board: from device to device'], ['Ctrl Z', 'undo the last edit of the draft'], ['Ctrl Shift Z', 'redo it'], ['Alt ↑ ↓', 'on a rule: move it up or down'], ['?', 'these keys'], ['Esc', 'close what is open'],
]
