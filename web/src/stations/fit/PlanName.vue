<script setup lang="ts">
/** What a plan is called; naming it opens a field, a name is kept when it is pressed or left. */
import { nextTick, ref, useTemplateRef } from 'vue'

const props = defineProps<{ name: string | undefined; mayWrite: boolean }>()
const emit = defineEmits<{ rename: [name: string] }>()
const typed = ref('')
const open = ref(false)
const field = useTemplateRef<HTMLInputElement>('field')
async function begin(): Promise<void> {
  typed.value = props.name ?? ''
  open.value = true
  await nextTick()
  field.value?.select()
}
function save(): void {
  const wanted = typed.value.trim()
  if (open.value && wanted && wanted !== props.name) emit('rename', wanted)
  open.value = false
}
</script>

<template>
  <form v-if="open" class="name" @submit.prevent="save" @keydown.esc.stop="open = false">
    <input
      ref="field"
      v-model="typed"
      aria-label="Name of this plan"
      placeholder="Name this plan"
      maxlength="120"
      @blur="save" />
  </form>
  <button v-else-if="mayWrite" type="button" class="quiet-link small" @click="begin">
    {{ name === undefined ? 'Name a plan' : 'Rename' }}
  </button>
</template>

<style scoped>
.name input {
  width: 200px;
  height: 30px;
  padding: 0 10px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
.name input::placeholder {
  color: var(--faded);
}
</style>
