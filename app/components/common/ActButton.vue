<script setup lang="ts">
import { NuxtLink } from '#components'
import { useFieldGroup } from '@nuxt/ui/composables/useFieldGroup'
import { computed, normalizeClass, type HTMLAttributes } from 'vue'
import { buttonClasses } from './button-look.ts'

/**
 * A button, or a link (`to` within the application, `href` elsewhere) that looks as one. It has the theme of
 * Nuxt UI's button, which works its classes out anew for each button: that took a quarter of the time in
 * which a page opens.
 */
const {
  color = 'neutral',
  variant = 'outline',
  size = 'md',
  type = 'button',
  icon = undefined,
  trailingIcon = undefined,
  label = undefined,
  to = undefined,
  href = undefined,
  block = false,
  disabled = false,
  loading = false,
  class: classOwn = undefined,
} = defineProps<{
  color?: 'primary' | 'neutral' | 'error'
  variant?: 'solid' | 'outline' | 'ghost' | 'link'
  size?: 'xs' | 'md' | 'lg'
  type?: 'button' | 'submit'
  icon?: string
  trailingIcon?: string
  label?: string
  to?: string
  href?: string
  /** It takes the whole width. */
  block?: boolean
  disabled?: boolean
  class?: HTMLAttributes['class']
  /** What it began still goes on: it shows so, and cannot be pressed. */
  loading?: boolean
}>()
const slots = defineSlots<{ default?: () => unknown }>()
const { orientation } = useFieldGroup({})
const shownIcon = computed(() => (loading ? 'i-lucide-loader-circle' : icon))
const classes = computed(() =>
  buttonClasses(
    {
      color,
      variant,
      size,
      block,
      loading,
      square: !slots.default && label === undefined,
      leading: shownIcon.value !== undefined,
      fieldGroup: orientation.value,
    },
    normalizeClass(classOwn),
  ),
)
/** What it is in the page, and the attributes of that. */
const element = computed(() => {
  if (to !== undefined) return { is: NuxtLink, its: { to } }
  if (href !== undefined) return { is: 'a', its: { href } }
  return { is: 'button', its: { type, disabled: disabled || loading } }
})
</script>

<template>
  <component :is="element.is" v-bind="element.its" :class="classes.base">
    <UIcon v-if="shownIcon" :name="shownIcon" :class="classes.icon" />
    <slot
      ><span v-if="label !== undefined" class="truncate">{{ label }}</span></slot
    >
    <UIcon v-if="trailingIcon" :name="trailingIcon" :class="classes.trailingIcon" />
  </component>
</template>
