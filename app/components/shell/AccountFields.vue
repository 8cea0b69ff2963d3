<script setup lang="ts">
import { PASSWORD_LENGTH } from '../../../protocol/forms.ts'
import { signInText } from '../../text/sign-in.ts'

/** The name and password of an account, or of a new one. */
defineProps<{ isNew: boolean }>()
const account = defineModel<{ name: string; password: string }>({ required: true })
</script>

<template>
  <UFormField :label="signInText.name" name="name"
    ><UInput v-model="account.name" autocomplete="username" autofocus class="w-full" size="lg"
  /></UFormField>
  <UFormField
    :label="signInText.password"
    name="password"
    :help="isNew ? signInText.passwordHow(PASSWORD_LENGTH) : undefined"
    ><UInput
      v-model="account.password"
      type="password"
      :autocomplete="isNew ? 'new-password' : 'current-password'"
      class="w-full"
      size="lg"
  /></UFormField>
</template>
