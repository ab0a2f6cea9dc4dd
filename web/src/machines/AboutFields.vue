<script setup lang="ts">
/** Fields of what people say of a machine, as part of a form. */
import FieldFault from '@/ui/FieldFault.vue'
import { ABOUT, type AboutName } from './about'

const typed = defineModel<Record<AboutName, string>>({ required: true })
/** `reported`: what a report tells of it, which counts as long as nothing is typed. */
const props = defineProps<{
  faults: Record<string, string>
  first?: boolean
  reported?: Partial<Record<AboutName, string>>
}>()
const shown = ABOUT.filter((f) => !props.first || f.atFirst)
</script>

<template>
  <label v-for="f in shown" :key="f.name" :class="{ wide: f.wide }">
    {{ f.words }}
    <input
      v-model="typed[f.name]"
      :type="f.type ?? 'text'"
      maxlength="200"
      :placeholder="reported?.[f.name] ? `${reported[f.name]}, as reported` : f.placeholder"
      :class="{ mono: f.mono }" /><FieldFault :of="faults" :name="f.name" />
  </label>
</template>
