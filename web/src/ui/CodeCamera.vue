<script setup lang="ts">
/** A press that reads a code by the camera; not there where the browser cannot. */
import { nextTick, onBeforeUnmount, ref } from 'vue'
import { readCode, readsCodes } from './camera'

const emit = defineEmits<{ read: [text: string] }>()
const can = readsCodes()
const looking = ref(false)
const wrong = ref('')
const video = ref<HTMLVideoElement>()
let stop = new AbortController()

async function look(): Promise<void> {
  if (looking.value) return stop.abort()
  stop = new AbortController()
  looking.value = true
  wrong.value = ''
  await nextTick()
  try {
    const text = await readCode(video.value!, stop.signal)
    if (text) emit('read', text)
  } catch (error) {
    wrong.value = `No camera: ${error instanceof Error ? error.message : String(error)}`
  } finally {
    looking.value = false
  }
}
onBeforeUnmount(() => stop.abort())
</script>

<template>
  <span v-if="can" class="camera">
    <button type="button" class="quiet-link" :aria-pressed="looking" @click="look">
      {{ looking ? 'Stop the camera' : 'Read its code' }}
    </button>
    <video v-if="looking" ref="video" muted playsinline aria-label="What the camera sees"></video>
    <span v-if="wrong" class="wrong small" role="alert">{{ wrong }}</span>
  </span>
</template>

<style scoped>
.camera {
  display: inline-grid;
  gap: 4px;
  justify-items: start;
}
video {
  width: min(320px, 100%);
  border: 1px solid var(--module-edge);
}
</style>
