<script setup lang="ts">
/** Who signed in, who was kept out, and what changed about who may: for leads. */
import { onMounted, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type HistoryLine } from '@/api/client'
import { age } from '@/ui/words'
import { eventWords } from './events'

const lines = shallowRef<HistoryLine[]>([])
const more = ref(false)
const wrong = ref('')

async function load(): Promise<void> {
  wrong.value = ''
  try {
    const before = lines.value.at(-1)?.id
    const found = await ask(api.GET('/api/people/events', { params: { query: before ? { before } : {} } }))
    lines.value = [...lines.value, ...found]
    more.value = found.length >= 50
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
onMounted(load)
</script>

<template>
  <section class="panel" aria-labelledby="events-title">
    <h2 id="events-title">Who came in, and what changed about who may</h2>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div class="lines" tabindex="0" role="group" aria-label="Newest first">
      <ul>
        <li v-for="l in lines" :key="l.id" :class="{ kept: l.action === 'sign-in locked' }">
          <span class="faded small when">{{ age(l.at) }}</span>{{ ' ' }}
          <span
            ><b>{{ l.by ?? '' }}</b> {{ eventWords(l) }}</span
          >
        </li>
      </ul>
    </div>
    <button v-if="more" type="button" class="quiet-link" @click="load">Earlier</button>
  </section>
</template>

<style scoped>
section {
  margin-top: 12px;
  padding: 14px 20px;
}
h2 {
  margin: 0 0 8px;
}
.lines {
  max-height: 340px;
  overflow-y: auto;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 12px;
  padding: 5px 0;
  border-bottom: 1px solid var(--rule);
}
.when {
  flex: 0 0 84px;
}
.kept {
  color: var(--stop);
}
.wrong {
  color: var(--stop);
}
</style>
