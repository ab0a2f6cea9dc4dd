<script setup lang="ts">
/** The light at the machine itself: it goes off with the run, and can be switched off before. */
import { ref } from 'vue'
import { api, ask, Unreachable, wordsOf, type RunView } from '@/api/client'
import { session } from '@/frame/session'
import { clock } from '@/ui/words'

const props = defineProps<{
  runId: string
  light: NonNullable<RunView['light']>
  underWay: boolean
  zone: string
  connected: boolean
}>()
const emit = defineEmits<{ changed: [] }>()
const asking = ref(false)
const wrong = ref('')
async function turn(on: boolean): Promise<void> {
  asking.value = true
  wrong.value = ''
  try {
    await ask(api.PUT('/api/runs/{run_id}/light', { params: { path: { run_id: props.runId } }, body: { on } }))
    emit('changed')
  } catch (error) {
    wrong.value = error instanceof Unreachable ? 'It cannot be switched without a connection.' : wordsOf(error)
  } finally {
    asking.value = false
  }
}
</script>

<template>
  <p class="light">
    <button
      v-if="underWay"
      type="button"
      class="lamp"
      :aria-pressed="!!light.since"
      :disabled="asking || !connected || !session.mayWrite()"
      @click="turn(!light.since)">
      {{
        asking
          ? 'Asking its controller'
          : light.since
            ? `Its light is on since ${clock(light.since, zone)}: switch it off`
            : 'Which one is it? Light it up'
      }}
    </button>
    <span v-else>Its light is still on{{ light.trouble ? `: ${light.trouble}` : ', and is being switched off' }}</span>
    <span v-if="wrong" role="alert">{{ wrong }}</span>
  </p>
</template>

<style scoped>
.light {
  flex: 1 0 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: center;
  margin: 0;
  font-size: 15px;
}
.lamp {
  min-height: 44px;
  padding: 0 14px;
  border: 1px solid #a89c8c;
  border-radius: 3px;
  background: none;
  color: inherit;
  font: inherit;
}
.lamp[aria-pressed='true'] {
  border-color: #f2c14b;
  background: #f2c14b;
  color: #221c1a;
}
.lamp:disabled {
  opacity: 0.6;
}
</style>
