<script setup lang="ts">
/** What to run on a machine so that its slots are told, by what it has; each command to copy. */
import { ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type Way } from '@/api/client'

const props = defineProps<{ proof?: boolean }>()
const ways = shallowRef<Way[]>([])
const wrong = ref('')
const copied = ref('')

async function show(event: Event): Promise<void> {
  if (!(event.target as HTMLDetailsElement).open || ways.value.length) return
  try {
    const found = await ask(api.GET('/api/intakes/guide'))
    ways.value = props.proof ? found.filter((w) => w.proof) : found
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
async function copy(command: string): Promise<void> {
  try {
    await navigator.clipboard.writeText(command)
    copied.value = command
  } catch {
    wrong.value = 'This browser does not let a page copy: mark the text and copy it by hand.'
  }
}
</script>

<template>
  <details class="run small" @toggle="show">
    <summary>What to run on it</summary>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <dl>
      <template v-for="w in ways" :key="w.where">
        <dt>{{ w.where }}</dt>
        <dd>
          <span v-if="w.command" class="command"
            ><code>{{ w.command }}</code
            >{{ ' ' }}
            <button
              type="button"
              class="quiet-link"
              :aria-label="`Copy the command for ${w.where}`"
              @click="copy(w.command)">
              {{ copied === w.command ? 'Copied' : 'Copy' }}
            </button></span
          >
          <span>{{ w.tells }}</span> <span class="faded">Not told: {{ w.lacks }}</span>
        </dd>
      </template>
    </dl>
  </details>
</template>

<style scoped>
dl {
  display: grid;
  gap: 2px;
  margin: 6px 0 0;
  max-height: 320px;
  overflow-y: auto;
}
dt {
  font-weight: 650;
  margin-top: 4px;
}
dd {
  margin: 0;
}
.command {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
code {
  overflow-x: auto;
  overflow-wrap: anywhere;
}
</style>
