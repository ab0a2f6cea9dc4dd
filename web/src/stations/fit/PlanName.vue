<script setup lang="ts">
/** What a plan is called; a name is kept when it is pressed or left. */
import { ref, watch } from 'vue'

const props = defineProps<{ name: string | undefined; mayWrite: boolean }>()
const emit = defineEmits<{ rename: [name: string] }>()
const typed = ref('')
watch(
  () => props.name,
  (now) => (typed.value = now ?? ''),
  { immediate: true },
)
function save(): void {
  const wanted = typed.value.trim()
  if (wanted && wanted !== props.name) emit('rename', wanted)
  else typed.value = props.name ?? ''
}
</script>

<template>
  <form class="name" @submit.prevent="save">
    <input v-model="typed" aria-label="Name of this plan" placeholder="Name this plan" maxlength="120" :disabled="!mayWrite" @blur="save" />
    <button class="press slim" type="submit" :disabled="!mayWrite || !typed.trim() || typed.trim() === name">
      {{ name === undefined ? 'Save' : 'Rename' }}
    </button>
  </form>
</template>

<style scoped>
.name {
  display: flex;
  gap: 6px;
}
.name input {
  width: 200px;
  height: 32px;
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
