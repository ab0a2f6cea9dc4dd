<script setup lang="ts">
/** Machines that share what only one can have: the same one made twice, to be put together, or a number mistyped. */
import { defineAsyncComponent, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type Twins } from '@/api/client'
import { session } from '@/frame/session'
import { useLoaded } from '@/frame/live'
import { usePart } from '@/ui/together'
import { plural } from '@/ui/words'

const MergeDialog = defineAsyncComponent(() => import('./MergeDialog.vue'))

const emit = defineEmits<{ merged: [] }>()
const known = usePart()
const twins = shallowRef<Twins[]>([])
const merging = shallowRef<Twins | null>(null)
const wrong = ref('')
const WORDS: Record<string, string> = { serial: 'serial number', asset_tag: 'asset tag' }

async function load(): Promise<void> {
  try {
    twins.value = await ask(api.GET('/api/machines/twins'))
    wrong.value = ''
  } catch (error) {
    wrong.value = wordsOf(error)
  } finally {
    known()
  }
}
useLoaded(() => null, load)
async function merged(): Promise<void> {
  merging.value = null
  emit('merged')
  await load()
}
</script>

<template>
  <details v-if="twins.length" class="panel twins small">
    <summary>
      <b>{{ plural(twins.length, 'number') }} of more than one machine</b>: made twice, or mistyped
    </summary>
    <ul>
      <li v-for="t in twins" :key="t.field + t.value">
        {{ WORDS[t.field] }} <span class="mono">{{ t.value }}</span>:
        <template v-for="(m, i) in t.machines" :key="m.id"
          ><template v-if="i">, </template
          ><router-link class="quiet-link" :to="`/machines/${m.id}/survey`">{{ m.name }}</router-link
          >{{ ' ' }} <span class="faded">{{ m.sheet_title }}</span></template
        >
        <button
          v-if="session.mayWrite()"
          type="button"
          class="quiet-link"
          :aria-label="`Put ${t.machines.map((m) => m.name).join(' and ')} together`"
          @click="merging = t">
          It is one machine
        </button>
      </li>
    </ul>
    <MergeDialog v-if="merging" :machines="merging.machines" @merged="merged" @leave="merging = null" />
  </details>
</template>

<style scoped>
.twins {
  margin: 0;
  padding: 8px 20px 8px 40px;
}
ul {
  margin: 6px 0 0;
  padding-left: 20px;
}
.quiet-link {
  margin-right: 4px;
}
</style>
