<script setup lang="ts">
/** Who did what to a machine and its plans, newest first, growing as it happens. */
import { onMounted, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type HistoryLine } from '@/api/client'
import { historyWords } from '@/ui/history'
import { moment } from '@/ui/words'
import { useLive } from '@/frame/live'
import { useMachine } from './machine'

const { machine } = useMachine()
const lines = shallowRef<HistoryLine[]>([])
const more = ref(false)
const wrong = ref('')
const PAGE = 50

async function load(before?: number): Promise<void> {
  try {
    const params = { path: { machine_id: machine.value.id }, query: before ? { before } : {} }
    const found = await ask(api.GET('/api/machines/{machine_id}/history', { params }))
    lines.value = before ? [...lines.value, ...found] : found
    more.value = found.length === PAGE
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
onMounted(() => load())
useLive(
  () => machine.value.id,
  (line) => {
    if (!lines.value.some((l) => l.id === line.id)) lines.value = [line, ...lines.value]
  },
)
</script>

<template>
  <section class="panel history" aria-labelledby="history-title">
    <h2 id="history-title">Who did what</h2>
    <p v-if="wrong" role="alert">{{ wrong }}</p>
    <ol>
      <li v-for="line in lines" :key="line.id">
        <time class="faded" :datetime="line.at">{{ moment(line.at, machine.zone) }}</time>
        <span
          ><strong>{{ line.by ?? 'Umbrak' }}</strong> {{ historyWords(line, machine.board) }}</span
        >
      </li>
      <li v-if="!lines.length" class="faded">Nothing yet.</li>
    </ol>
    <button v-if="more" type="button" class="quiet-link" @click="load(lines.at(-1)?.id)">Earlier</button>
  </section>
</template>

<style scoped>
.history {
  margin-left: 24px;
  padding: 14px 16px;
  align-self: start;
}
ol {
  list-style: none;
  margin: 8px 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 160px minmax(0, 1fr);
  gap: 12px;
  padding: 5px 0;
  border-top: 1px solid var(--rule);
  font-size: 14px;
}
@media (max-width: 700px) {
  li {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
}
</style>
