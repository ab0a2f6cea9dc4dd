<script setup lang="ts">
/** Verdicts that changed by themselves, of the last weeks; more come a page at a time. */
import { ref, shallowRef } from 'vue'
import { api, ask, type Rejudged } from '@/api/client'
import { useLoaded } from '@/frame/live'
import { usePart } from '@/ui/together'
import { age, plural } from '@/ui/words'
import { VERDICTS, type Verdict } from '@/ui/verdict'
import VerdictWord from '@/ui/VerdictWord.vue'

const known = usePart()
const changed = shallowRef<Rejudged[]>([])
const changedInAll = ref(0)
async function tellChanged(before?: number): Promise<void> {
  try {
    const found = await ask(api.GET('/api/machines/verdicts/changed', { params: { query: { before } } }))
    changed.value = before ? [...changed.value, ...found.changes] : found.changes
    changedInAll.value = found.total
  } catch {
    // the banner tells
  } finally {
    known()
  }
}
useLoaded(
  () => null,
  () => tellChanged(),
)
</script>

<template>
  <details v-if="changed.length" class="panel changed small">
    <summary>
      <b>{{ plural(changedInAll, 'verdict') }} changed</b> since, though nobody changed the layout: firmware, a
      statement or a corrected sheet did
    </summary>
    <ul>
      <li v-for="c in changed" :key="c.id">
        <router-link class="quiet-link" :to="`/machines/${c.machine_id}/${c.plan_id ? 'fit' : 'survey'}`">{{
          c.machine
        }}</router-link>
        {{ c.name }}: {{ VERDICTS[c.was as Verdict].words }} →
        <VerdictWord :of="{ verdict: c.verdict as Verdict }" :size="11" />{{ ' ' }}
        <span class="faded">{{ c.because }}, {{ age(c.at) }}</span>
      </li>
    </ul>
    <button
      v-if="changed.length < changedInAll"
      type="button"
      class="quiet-link"
      @click="tellChanged(changed.at(-1)!.id)">
      Show {{ Math.min(50, changedInAll - changed.length) }} more of {{ changedInAll }}
    </button>
  </details>
</template>

<style scoped>
.changed {
  margin: 0;
  padding: 8px 20px 8px 40px;
}
.changed ul {
  margin: 6px 0 0;
  padding-left: 20px;
}
</style>
