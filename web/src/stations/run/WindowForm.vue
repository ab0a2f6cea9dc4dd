<script setup lang="ts">
/** The maintenance window, by the wall clock at the rack. */
import { ref } from 'vue'
import type { RunView } from '@/api/client'
import { atSite, toSite } from '@/ui/zone'

const props = defineProps<{ run: RunView; zone: string }>()
const emit = defineEmits<{ set: [start: string | null, end: string | null]; leave: [] }>()
const start = ref(props.run.window_start ? toSite(props.run.window_start, props.zone) : '')
const end = ref(props.run.window_end ? toSite(props.run.window_end, props.zone) : '')
const keep = () => emit('set', atSite(start.value, props.zone), atSite(end.value, props.zone))
</script>

<template>
  <v-dialog :model-value="true" max-width="420" aria-label="Maintenance window" @update:model-value="$emit('leave')">
    <form class="panel fields dialog" aria-label="Maintenance window" @submit.prevent="keep">
      <h2>Maintenance window</h2>
      <p class="faded small">Times of {{ zone }}. Calendar takes it to whoever has to know.</p>
      <label>Begins <input v-model="start" type="datetime-local" required /></label>
      <label>Ends <input v-model="end" type="datetime-local" required :min="start" /></label>
      <div class="choices">
        <button v-if="run.window_start" type="button" class="quiet-link" @click="$emit('set', null, null)">
          No window
        </button>
        <button type="button" class="quiet-link" @click="$emit('leave')">Cancel</button>
        <button class="press" type="submit">Keep</button>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
p {
  margin: 0;
}
</style>
