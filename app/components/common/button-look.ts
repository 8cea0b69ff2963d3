import theme from '#build/ui/button'
import { tv } from '@nuxt/ui/utils/tv'
import appConfig from '../../app.config.ts'

const themed = tv({ extend: tv(theme), ...(appConfig.ui.button as object) })
type Look = NonNullable<Parameters<typeof themed>[0]>
const known = new Map<string, { base: string; icon: string; trailingIcon: string }>()

/** The classes of a button in a look, with those that its place adds. Each look is worked out once. */
export function buttonClasses(look: Look, added: string) {
  const key = JSON.stringify([look, added])
  const classes = known.get(key)
  if (classes) return classes
  const { base, leadingIcon, trailingIcon } = themed(look)
  const made = { base: base({ class: added }), icon: leadingIcon(), trailingIcon: trailingIcon() }
  known.set(key, made)
  return made
}
