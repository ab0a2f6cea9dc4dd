<script setup lang="ts">
/** Fields of what people say of a machine, as part of a form. */
import FieldFault from '@/ui/FieldFault.vue'
import { ABOUT, type AboutName } from './about'

const typed = defineModel<Record<AboutName, string>>({ required: true })
const props = defineProps<{ faults: Record<string, string>; first?: boolean }>()
const shown = ABOUT.filter((f) => !props.first || f.atFirst)
</script>

<template>
  <label v-for="f in shown" :key="f.name" :class="{ wide: f.wide }">
    {{ f.words }}
    <input v-model="typed[f.name]" :type="f.type ?? 'text'" maxlength="200" :placeholder="f.placeholder" :class="{ mono: f.mono }" /><FieldFault :of="faults" :name="f.name" />
  </label>
</template>
