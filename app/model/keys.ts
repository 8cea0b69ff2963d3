import { shellText } from '../text/shell.ts'
/** The few keys that work everywhere. */
export const KEYS: readonly (readonly [key: string, words: string])[] = [
  [shellText.ctrlK, shellText.keySearch],
  ['m', shellText.keyMoment],
  ['n', shellText.keyNow],
  ['← →', shellText.keyNeedle],
  ['↑ ↓', shellText.keyBoard],
  [shellText.ctrlZ, shellText.keyUndo],
  [shellText.ctrlShiftZ, shellText.keyRedo],
  [shellText.altArrows, shellText.keyRule],
  ['?', shellText.keyKeys],
  [shellText.esc, shellText.keyClose],
]
