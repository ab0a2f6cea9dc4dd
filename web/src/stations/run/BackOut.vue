<script setup lang="ts">
/** Backing out: the way back from here as the last hold point tells it, then why. */
import { computed, ref } from 'vue'
import type { RunStep } from '@/api/client'

const props = defineProps<{ step: RunStep | null; steps: RunStep[] }>()
const emit = defineEmits<{ out: [reason: string, outcome: 'not-seen' | 'unstable' | null]; leave: [] }>()
const reason = ref('')
const outcome = ref<'' | 'not-seen' | 'unstable'>('')
/** From the hold point at hand or the next one; after the last, from that. */
const way = computed(() => {
  const number = props.step?.number ?? Infinity
  const holds = props.steps.filter((s) => s.hold)
  return (holds.find((s) => s.number >= number) ?? holds.at(-1))?.back_out ?? []
})
</script>

<template>
  <v-dialog
    :model-value="true"
    max-width="620"
    aria-label="Back out: the machine as it was"
    @update:model-value="$emit('leave')">
    <form class="panel fields dialog" aria-label="Back out" @submit.prevent="emit('out', reason, outcome || null)">
      <h2>Back out: the machine as it was</h2>
      <p class="small">What has been done so far is undone first. From the next hold point the way back is:</p>
      <ol class="small">
        <li v-for="w in way" :key="w">{{ w }}</li>
      </ol>
      <label
        >Why <input v-model="reason" required maxlength="2000" placeholder="what went wrong, or what is lacking"
      /></label>
      <label
        >What it was, for Field notes
        <select v-model="outcome">
          <option value="">nothing that speaks for or against the modules</option>
          <option value="not-seen">the machine did not see them</option>
          <option value="unstable">it was unstable with them</option>
        </select>
      </label>
      <div class="choices">
        <button type="button" class="quiet-link" @click="$emit('leave')">Go on with the run</button>
        <button class="press stop" type="submit" :disabled="!reason.trim()">It is as it was: end the run</button>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
.dialog {
  max-height: 90vh;
  overflow-y: auto;
}
p,
ol {
  margin: 0;
}
ol {
  padding-left: 22px;
}
</style>
