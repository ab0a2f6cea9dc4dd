<script setup lang="ts">
/** A text that is answered when it is left or Enter is pressed: what comes from elsewhere meanwhile does not overwrite the typing. */
import { ref, watch } from 'vue'

const props = defineProps<{ value: string; label: string; most?: number }>()
const emit = defineEmits<{ said: [text: string] }>()
defineOptions({ inheritAttrs: false })
const field = ref<HTMLInputElement>()
const typed = ref(props.value)
/** What was answered last: leaving a field after Enter answers nothing a second time. */
let said: string | null = null
watch(
  () => props.value,
  (now) => {
    said = null
    if (document.activeElement !== field.value || typed.value === now) typed.value = now
  },
)
function say(): void {
  if (typed.value === props.value || typed.value === said) return
  said = typed.value
  emit('said', typed.value)
}
function leave(): void {
  say()
  said = null
  typed.value = props.value
}
defineExpose({ focus: () => field.value?.focus() })
</script>

<template>
  <input
    ref="field"
    v-model="typed"
    v-bind="$attrs"
    :aria-label="label"
    :maxlength="most ?? 200"
    @change="say"
    @keydown.enter.prevent="say"
    @blur="leave" />
</template>
